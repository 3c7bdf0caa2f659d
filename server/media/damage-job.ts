import type { DamagedPart } from '@hone/core/api';
import { megapixels } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments } from '../ffmpeg/input.js';
import { runTool, ToolError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from './source-store.js';

/**
 * Frames times megapixels up to which a source is decoded as a whole: half a minute of 1080 lines. Of heavier ones only the
 * key frames are, unless something hints at damage; and of heavy ones that have nothing else, only the beginning.
 */
const WHOLE_FRAME_MEGAPIXELS = 1600;
const BEGINNING_SECONDS = 10;
/** Damage that follows so closely on other damage is one part. */
const NEAR_SECONDS = 1;
const MOST_PARTS = 100;

const STAMP = /\bpts_time:\s*(-?[\d.]+)/;
/** Messages of decoders about damaged pictures, as opposed to notes about the file. */
const FAULT =
  /error while decoding|corrupt|invalid data|invalid nal|concealing|damaged|missing picture|illegal|overread|error submitting|reference .* >=|cabac decode|bytestream/i;

/** Looks for damaged pictures by decoding, when nothing else is to be done. */
export function damageHandler(store: SourceStore, ffmpeg: string): JobHandler {
  return {
    kind: 'damage',
    lane: 'light',
    priority: 0,
    async run({ job, payload, signal, progress }) {
      const row = await store.readable(job.subjectId);
      if (!row.facts?.picture) return;
      const isHinted = (payload as { isHinted?: unknown } | null)?.isHinted === true;
      const options = { isHinted, signal, progress };
      await store.change(row, { damage: await findDamage(ffmpeg, row, options) });
    },
  };
}

interface DamageOptions {
  /** Whether reading the source has complained already; it is decoded as a whole then. */
  readonly isHinted?: boolean;
  readonly signal?: AbortSignal | undefined;
  readonly progress?: (done: number) => void;
}

/** Whether what a program wrote hints at damaged pictures. */
export const hintsAtDamage = (text: string): boolean => FAULT.test(text);

function scopeOf({ facts, structure }: SourceRow, isHinted: boolean): string[] {
  const picture = facts!.picture!;
  if (isHinted || picture.frameCount * megapixels(picture.size) <= WHOLE_FRAME_MEGAPIXELS) return [];
  const isIntra = structure?.kind === 'intra';
  return isIntra ? ['-t', String(BEGINNING_SECONDS)] : ['-skip_frame', 'nokey'];
}

/**
 * Decodes a source and tells where its decoder complained.
 * @returns parts in order, in seconds from the first frame
 */
export async function findDamage(
  ffmpeg: string,
  row: SourceRow,
  { isHinted, signal, progress = () => undefined }: DamageOptions = {},
): Promise<DamagedPart[]> {
  const seconds = toNumber(row.facts!.duration);
  const start = toNumber(row.facts!.pictureStart);
  const parts: { from: number; to: number }[] = [];
  const seen = { at: 0, isDamaged: false };
  const mark = (from: number, to: number): void => {
    const last = parts.at(-1);
    if (last && from - last.to <= NEAR_SECONDS) last.to = Math.max(last.to, to);
    else if (parts.length < MOST_PARTS) parts.push({ from, to });
  };
  const onErrorLine = (line: string): void => {
    const stamp = STAMP.exec(line)?.[1];
    if (stamp === undefined) {
      if (FAULT.test(line)) seen.isDamaged = true;
      return;
    }
    const now = Math.max(0, Number(stamp) - start);
    // The picture that comes out behind a complaint is the one that it was about, or the one after it.
    if (seen.isDamaged) mark(Math.min(seen.at, now), now);
    seen.isDamaged = false;
    seen.at = now;
    progress(Math.min(1, now / Math.max(seconds, 0.001)));
  };
  const scope = scopeOf(row, isHinted ?? false);
  const filters = ['-vf', 'showinfo=checksum=0', '-fps_mode', 'passthrough', '-f', 'null', '-'];
  try {
    await runTool(
      ffmpeg,
      [
        '-hide_banner',
        '-nostdin',
        '-nostats',
        '-v',
        'info',
        '-threads',
        '1',
        '-copyts',
        ...scope,
        ...inputArguments(row),
        '-map',
        '0:v:0',
        ...filters,
      ],
      { signal, onErrorLine },
    );
  } catch (error) {
    // A decoder that gives up has found damage from there to the end.
    if (!(error instanceof ToolError)) throw error;
    mark(seen.at, seconds);
  }
  if (seen.isDamaged) mark(seen.at, seconds);
  return parts.map(({ from, to }) => ({ fromSeconds: from, toSeconds: to }));
}
