/** The boats of the Wenlow Canal and what it charges for cargo. */
import boats from './boats.json' with { type: 'json' };

export interface Cargo {
  kind: string;
  tonnes: number;
}

export class Barge {
  constructor(
    readonly name: string,
    readonly length: number,
    readonly draft: number,
    readonly cargo: Cargo[],
  ) {}

  get tonnes(): number {
    return this.cargo.reduce((sum, { tonnes }) => sum + tonnes, 0);
  }

  static all(): Barge[] {
    return boats.map(({ name, length, draft, cargo }) => new Barge(name, length, draft, cargo));
  }
}

/** Pence a tonne, by kind of cargo. */
export const rates: Record<string, number> = { slate: 65, timber: 50, lime: 40, other: 80 };
