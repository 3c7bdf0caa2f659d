/** The part of a source that one layer of a piece is rendered from. */
export interface Reading {
  readonly sourceId: string;
  /** Seconds of the source that are shown. */
  readonly from: number;
  readonly to: number;
}

/** An input of a program, with the parts that are taken from it: one for each of several pieces, ascending. */
export interface SharedInput {
  readonly readings: Reading[];
  /** Number of the last piece that takes from it. */
  piece: number;
}

/** Seconds that are decoded before an in point, so that the frame before it is known, and after an out point. */
export const LEAD_SECONDS = 2;

/** Seconds by which two times may differ that are meant to be the same. */
const ROUNDED = 1e-6;

/**
 * The inputs of one program. A piece goes on with the input of an earlier one where it shows what comes in the source
 * after that, with so little between that what is decoded for both touches: then each frame is decoded once, and none
 * waits in memory until its piece comes.
 */
export class SharedInputs {
  private readonly all: SharedInput[] = [];

  get inputs(): readonly SharedInput[] {
    return this.all;
  }

  /** Inputs that would have to be opened for a piece. @param piece its number, above those before it */
  opensFor(readings: readonly Reading[], piece: number): number {
    const taken = new Set<SharedInput>();
    for (const reading of readings) {
      const found = this.all.find((input) => !taken.has(input) && goesOn(input, reading, piece));
      if (found) taken.add(found);
    }
    return readings.length - taken.size;
  }

  /** @returns the input that the reading is the last of */
  take(reading: Reading, piece: number): SharedInput {
    const known = this.all.find((each) => goesOn(each, reading, piece));
    if (known) {
      known.readings.push(reading);
      known.piece = piece;
      return known;
    }
    const input = { readings: [reading], piece };
    this.all.push(input);
    return input;
  }
}

function goesOn({ readings, piece: last }: SharedInput, { sourceId, from }: Reading, piece: number): boolean {
  const before = readings.at(-1)!;
  if (before.sourceId !== sourceId || last >= piece) return false;
  return from >= before.to - ROUNDED && from - LEAD_SECONDS <= before.to + LEAD_SECONDS;
}
