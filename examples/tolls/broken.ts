// A pad that is broken on purpose: three slips, all reported at once.
const locks = [
  { name: 'Alder', rise: 4.2 },
  { name: 'Birch', rise: },
  { name: 'Cress', rise: 5.4 },
];

const total = locks.reduce((sum, lock) => sum + lock.rise, 0;

function climb(metres: number): number {
  return metres / locks.length;
}

climb(total));
