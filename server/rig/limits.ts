import { availableParallelism } from 'node:os';
import { memoryShares, type MemoryShares } from '@hone/core/machine';
import type { RigStore } from './rig-store.js';

/** Current share of the memory ceiling for the server's own work. */
export class MemoryLimits {
  constructor(private readonly rigs: RigStore) {}

  async shares(): Promise<MemoryShares> {
    const { memoryCeilingBytes } = await this.rigs.limits();
    return memoryShares(memoryCeilingBytes, availableParallelism());
  }

  /** Arguments that hold the decoders of an input to their share; they go before its `-i`. What they decode is the same. */
  async decoderArguments(): Promise<string[]> {
    return ['-threads', String((await this.shares()).ffmpegThreads)];
  }
}
