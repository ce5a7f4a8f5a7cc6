// What a project adds itself: a mark, a view, and the way in which its processes are started.
import { show } from 'usher-anvil/pad';

interface Lock {
  name: string;
  /** Kilometres from the mouth. */
  at: number;
  /** Metres. */
  lift: number;
}

const locks: Lock[] = [
  { name: 'Alder', at: 1.5, lift: 2 },
  { name: 'Brook', at: 3, lift: 1.2 },
  { name: 'Copse', at: 5.5, lift: 2.8 },
];
show(locks);

function levelAt(place: number): number {
  return locks.filter(({ at }) => at <= place).reduce((sum, { lift }) => sum + lift, 0);
}

let highest = 0;
for (let place = 0; place < 500; place++) highest = Math.max(highest, levelAt(place / 50)); //~ pace:
console.log(process.env.CANAL_SHIFT, new Date(0).getHours(), highest);
