/** Passages of the last days, as the keepers wrote them down. */
export interface Passage {
  boat: string;
  from: string;
  to: string;
  minutes: number;
}

const LOG = `Heron alder birch 34
Teal birch cress 29
Heron birch cress 31
Plover elm dun 40
Heron cress dun 47`;

export function passagesOf(boat: string): Passage[] {
  return LOG.split('\n')
    .map(read)
    .filter((passage) => passage.boat === boat);
}

function read(line: string): Passage {
  const [boat = '', from = '', to = '', minutes = '0'] = line.split(' ');
  return { boat, from, to, minutes: Number(minutes) };
}
