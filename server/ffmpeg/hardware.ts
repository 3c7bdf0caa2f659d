import {
  chosenEncoder,
  decodeMethod,
  FFMPEG_CHOICES,
  type FfmpegChoice,
  type HardwarePath,
} from '@hone/core/machine';
import { PROCESSOR_ENCODER, type IntraEncoder } from '@hone/core/media';
import type { EventBus } from '../http/events.js';
import type { RigStore } from '../rig/rig-store.js';
import type { Database } from '../store/database.js';
import { readSetting, writeSetting } from '../store/settings.js';
import { ToolError } from './process.js';

/** What ffmpeg decodes and encodes by. */
export interface FfmpegPaths {
  /** Arguments that go before the `-i` of a source of a codec; none for the processor. */
  decoding(codec: string | undefined): readonly string[];
  readonly encoder: IntraEncoder;
}

const ON_PROCESSOR: FfmpegPaths = { decoding: () => [], encoder: PROCESSOR_ENCODER };

const CHOICE = 'ffmpegOn';

/**
 * Chooses the hardware paths of ffmpeg for previews, copies and cached stretches, as this machine measured them. Exports
 * do not know it: they are always made by the processor.
 */
export class FfmpegHardware {
  /** Paths of the last measurement, which the rig has only when it is complete; of the rig before there was one. */
  private tried: readonly HardwarePath[] | undefined;
  /** Why hardware failed in the middle of work, in ffmpeg's words; null while it did not. */
  private lost: string | null = null;

  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
    private readonly rigs: RigStore,
  ) {}

  async settings(): Promise<{ readonly ffmpegOn: FfmpegChoice; readonly hardwareLost: string | null }> {
    const kept = await readSetting(this.database, CHOICE);
    const ffmpegOn = FFMPEG_CHOICES.find((choice) => choice === kept) ?? 'automatic';
    return { ffmpegOn, hardwareLost: this.lost };
  }

  async choose(choice: FfmpegChoice): Promise<void> {
    await writeSetting(this.database, CHOICE, choice);
    this.lost = null;
  }

  /** Takes what a measurement found, at once. */
  noteTried(paths: readonly HardwarePath[]): void {
    this.tried = paths;
    this.lost = null;
  }

  async paths(): Promise<FfmpegPaths> {
    const { ffmpegOn } = await this.settings();
    const known = (this.tried ??= (await this.rigs.own())?.hardwarePaths ?? []);
    if (this.lost !== null || known.length === 0) return ON_PROCESSOR;
    return {
      decoding: (codec) => {
        const taken = codec === undefined ? undefined : decodeMethod(known, ffmpegOn, codec);
        return taken ? ['-hwaccel', taken.name] : [];
      },
      encoder: chosenEncoder(known, ffmpegOn),
    };
  }

  /**
   * Does work of ffmpeg. Where it fails with hardware, it is done again on the processor, which then does all that follows
   * until another choice or measurement.
   */
  async work<T>(attempt: (paths: FfmpegPaths) => Promise<T>): Promise<T> {
    const { decoding, encoder } = await this.paths();
    let usesHardware = encoder !== PROCESSOR_ENCODER;
    const noted = (codec: string | undefined): readonly string[] => {
      const args = decoding(codec);
      usesHardware ||= args.length > 0;
      return args;
    };
    try {
      return await attempt({ decoding: noted, encoder });
    } catch (error) {
      if (!usesHardware || !(error instanceof ToolError)) throw error;
      const done = await attempt(ON_PROCESSOR);
      // What fails on the processor too is no fault of the hardware.
      this.lost = error.message;
      this.bus.emit({ kind: 'hardwareLost', reason: error.message });
      return done;
    }
  }
}
