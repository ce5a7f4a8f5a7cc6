// The toll rules of the Wenlow Canal. Change a number and watch the other lines.
import { test } from 'node:test';
import { equal } from 'node:assert';
import { Barge, rates } from './fleet.ts';

const night = { from: 22, to: 5 };
const fleet = Barge.all();
const heavy = fleet.filter((barge) => barge.tonnes > 20);

function classToll(barge: Barge): number {
  if (barge.length > 20 || barge.draft > 1.6) return 900;
  return barge.length > 14 ? 600 : 350;
}

function cargoToll(barge: Barge): number {
  let sum = 0;
  for (const { kind, tonnes } of barge.cargo) {
    const rate = rates[kind] ?? rates.other!;
    sum += tonnes * rate;
  }
  return sum;
}

function refund(barge: Barge): number {
  return cargoToll(barge) * 0.5;
}

// From the fifth passage of a month on, a tenth is off.
function discount(passages: number): number {
  return passages > 5 ? 0.9 : 1;
}

function tollFor(barge: Barge, hour: number, passages = 1): number {
  const byNight = hour >= night.from || hour < night.to;
  const full = (classToll(barge) + cargoToll(barge)) * (byNight ? 1.5 : 1);
  return Math.round(full * discount(passages));
}

for (const barge of fleet) console.log('%s pays %d pence', barge.name, tollFor(barge, 9));

let level = 0;
for (let minute = 0; minute < 480; minute++) level += Math.sin(minute / 40) ** 2 / 60;

const small = new Barge('Wren', 12, 0.9, [{ kind: 'lime', tonnes: 10 }]);

test('a small barge pays class and cargo', () => {
  equal(tollFor(small, 9), 750);
});

test('a night passage costs half more', () => {
  equal(tollFor(small, 23), 1125);
});

test('the discount begins at the fifth passage', () => {
  equal(tollFor(small, 9, 5), 675);
});
