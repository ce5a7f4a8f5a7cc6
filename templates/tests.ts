// A function and what it must do

import assert from 'node:assert/strict';
import { describe, test } from 'node:test';

/** Pence for a barge: by the tonne, and half as much again at night. */
export function toll(tonnes: number, hour: number): number {
  const pence = tonnes * 50;
  return hour >= 22 || hour < 5 ? pence * 1.5 : pence;
}

describe('toll', () => {
  test('by day', () => {
    assert.equal(toll(12, 9), 600);
  });

  test('at night it is half as much again', () => {
    assert.equal(toll(12, 23), 900);
  });
});
