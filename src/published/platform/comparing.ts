/** In place of comparing in processes: ways are called in workers, one for each process that there would be. */
import { compareLoaded } from '../../compare/comparing.js';
import type { Comparison } from '../../compare/comparison.js';
import { aloneLanguage, ComparedWorker, filesOf, plainModules, WAYS_MODULE } from '../../hosts/alone/index.js';
import type { PadComparison } from '../../hosts/node/comparing/pad-ways.js';
import { thePlace } from './sessions.js';

export async function comparePadWays(asked: PadComparison): Promise<Comparison[]> {
  const { file, text, written, texts, forMs, isCoarse = false, progress } = asked;
  const { names } = written;
  const place = thePlace();
  const modules = plainModules(file, text, written, texts, {
    files: filesOf(place),
    language: aloneLanguage(place.compile),
  });
  const way = (index: number) => ({ module: WAYS_MODULE, name: `way${index}` });
  const described = (index: number) => ({ name: names[index]!, file, export: names[index]! });
  const found: Comparison[] = [];
  for (let index = 1; index < names.length; index++)
    found.push(
      await compareLoaded(
        { baseline: described(0), candidate: described(index) },
        { forMs, isCoarse, progress: (what, timing) => progress?.(names[index]!, what, timing) },
        {
          ways: { baseline: way(0), candidate: way(index) },
          data: WAYS_MODULE,
          start: () => new ComparedWorker(place.worker(), modules, names, place.packages),
          now: () => performance.now(),
        },
      ),
    );
  return found;
}
