/** A drive that is not there, as it behaves. */
export interface SimulatedDrive {
  readonly id: string;
  readonly name: string;
  readonly readBytesPerSecond: number;
  readonly writeBytesPerSecond: number;
  /** Before the first byte of each request. */
  readonly latencyMs: number;
  /** Additional time where a read does not continue the one before. */
  readonly seekMs: number;
  readonly note: string;
}

/**
 * Figures of common practice. Two have a source in the trade: an array of this kind sustains about half of the rate that
 * it reads at when empty, and a gigabit wire carries at most 125 MB/s.
 */
export const SIMULATED_DRIVES: readonly SimulatedDrive[] = [
  {
    id: 'usb-rotating',
    name: 'Rotating drive on USB',
    readBytesPerSecond: 85e6,
    writeBytesPerSecond: 75e6,
    latencyMs: 2,
    seekMs: 13,
    note: 'A portable drive, half full: steady in one place, slow when it must go back and forth.',
  },
  {
    id: 'usb-rotating-full',
    name: 'Rotating drive on USB, 95 % full',
    readBytesPerSecond: 38e6,
    writeBytesPerSecond: 24e6,
    latencyMs: 3,
    seekMs: 22,
    note: 'The same drive almost full: inner tracks, files in pieces.',
  },
  {
    id: 'array-of-four',
    name: 'Array of four drives',
    readBytesPerSecond: 420e6,
    writeBytesPerSecond: 360e6,
    latencyMs: 1,
    seekMs: 10,
    note: 'Four rotating drives read together, 420 MB/s sustained.',
  },
  {
    id: 'gigabit-share',
    name: 'Network share on a gigabit wire',
    readBytesPerSecond: 108e6,
    writeBytesPerSecond: 95e6,
    latencyMs: 4,
    seekMs: 6,
    note: 'Another machine’s drive behind one gigabit a second, shared with nobody.',
  },
  {
    id: 'fast-solid-state',
    name: 'Fast solid-state drive',
    readBytesPerSecond: 2800e6,
    writeBytesPerSecond: 1900e6,
    latencyMs: 0.1,
    seekMs: 0.08,
    note: 'Faster than any source needs: a timeline that drops frames on it has another bottleneck.',
  },
];

export function simulatedDrive(id: string | null): SimulatedDrive | undefined {
  return SIMULATED_DRIVES.find((drive) => drive.id === id);
}
