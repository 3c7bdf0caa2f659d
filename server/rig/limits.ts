import { availableParallelism } from 'node:os';
import { memoryShares, type MemoryShares } from '@hone/core/machine';
import type { RigStore } from './rig-store.js';

/** What the server's own work may take of the memory ceiling, as it is set now. */
export class MemoryLimits {
  constructor(private readonly rigs: RigStore) {}

  async shares(): Promise<MemoryShares> {
    const { memoryCeilingBytes } = await this.rigs.settings();
    return memoryShares(memoryCeilingBytes, availableParallelism());
  }

  /** Arguments that hold the decoders of an input to their share; they go before its `-i`. What they decode is the same. */
  async decoderArguments(): Promise<string[]> {
    return ['-threads', String((await this.shares()).ffmpegThreads)];
  }
}
