import type { TriedCacheFormats } from '@hone/core/api';
import type { DecodePath } from '@hone/core/levers';
import { cacheFormat } from '@hone/core/media';
import type { FrameSize } from '@hone/core/timeline';
import {
  decodedFigures,
  figureOf,
  TRIAL_SECONDS,
  untriedSources,
  withTrials,
  type DecodeFigures,
  type DecodeSample,
  type Figure,
  type Rig,
  type Sampled,
} from '@hone/core/machine';
import type { DecodeTimes } from './times.js';
import { RigProbe } from './probe.js';

/** A source that is decoded to see what it takes. */
export interface TriedSource extends Sampled {
  readonly id: string;
}

/** Result of a decode trial, with its samples. */
export interface DecodeTrial {
  readonly samples: readonly DecodeSample[];
  readonly figures: DecodeFigures;
}

/**
 * Decodes a source flat out in the browser, with its start and its restart, by each path that the browser offers.
 * @param disturbed whether something else keeps the machine busy
 * @throws TypeError for a source without a picture
 */
export async function tryDecoding(
  probe: Pick<RigProbe, 'decode'>,
  source: TriedSource,
  seconds: number,
  disturbed: boolean,
): Promise<[DecodeTrial, ...DecodeTrial[]]> {
  const { facts, structure } = source;
  if (!facts?.picture) throw new TypeError('A source without a picture cannot be decoded.');
  const pictures = { ...facts.picture, bitsPerFrame: structure?.bitsPerFrame ?? 0 };
  return triedPaths(probe, `/media/sources/${source.id}`, pictures, seconds, disturbed);
}

/** What was decoded in a trial. */
type TriedPictures = Pick<DecodeFigures, 'codec' | 'profile' | 'chroma' | 'bitDepth' | 'bitsPerFrame'> & {
  readonly size: FrameSize;
};

async function triedPaths(
  probe: Pick<RigProbe, 'decode'>,
  url: string,
  pictures: TriedPictures,
  seconds: number,
  disturbed: boolean,
): Promise<[DecodeTrial, ...DecodeTrial[]]> {
  const tried = async (path?: DecodePath): Promise<DecodeTimes> => probe.decode(url, seconds, 1, true, path);
  const trial = (times: DecodeTimes): DecodeTrial => ({
    samples: times.samples ?? [],
    figures: figuresOf(pictures, times, disturbed),
  });
  const first = await tried();
  const trials: [DecodeTrial, ...DecodeTrial[]] = [trial(first)];
  for (const path of first.paths.slice(1)) trials.push(trial(await tried(path)));
  return trials;
}

/**
 * Decodes the files that codings of cached stretches were tried with, by each path that the browser offers. Of what is not
 * compressed, reading is measured.
 */
export async function tryCacheFormats(
  probe: Pick<RigProbe, 'decode' | 'read'>,
  { files, formats, size, rate }: TriedCacheFormats,
  seconds: number,
  disturbed: boolean,
): Promise<DecodeFigures[]> {
  const figures: DecodeFigures[] = [];
  for (const { format: id, frameCount } of files) {
    const { codec, profile, muxer } = cacheFormat(id);
    const bitsPerFrame = 8 * (formats.find(({ format }) => format === id)?.frameBytes ?? 0);
    const pictures = { codec, profile, chroma: '4:2:0', bitDepth: 8, bitsPerFrame, size };
    const url = `/media/tried-formats/${id}`;
    if (muxer === 'rawvideo') {
      const times = await probe.read(url, size, rate, frameCount);
      figures.push(figuresOf(pictures, times, disturbed));
    } else {
      const trials = await triedPaths(probe, url, pictures, seconds, disturbed);
      figures.push(...trials.map((trial) => trial.figures));
    }
  }
  return figures;
}

function figuresOf(
  { codec, profile, chroma, bitDepth, size, bitsPerFrame }: TriedPictures,
  times: DecodeTimes,
  disturbed: boolean,
): DecodeFigures {
  const about = (method: string): Pick<Figure, 'method' | 'measuredAt' | 'disturbed'> => ({
    method,
    measuredAt: new Date().toISOString(),
    disturbed,
  });
  const { acceleration, paths, samples, startMs, restartMs, problem } = times;
  return {
    ...{ decoder: 'browser', codec, profile, chroma, bitDepth, width: size.width, height: size.height },
    bitsPerFrame,
    acceleration,
    paths: [...paths],
    ...decodedFigures(samples ?? [], bitsPerFrame, about('decoded flat out'), acceleration),
    together: [],
    problem,
    ...(startMs.length ? { startMs: figureOf(startMs, about('set up, until the first picture')) } : {}),
    ...(restartMs.length
      ? { restartMs: figureOf(restartMs, about('gone on elsewhere, until the first picture')) }
      : {}),
  };
}

/**
 * Measures decoding of each kind of source that a rig has no figures of, for a moment: in the browser, or on the server
 * where the browser does not decode it. Predictions then rest on measured figures.
 * @param assets where the player's workers and kernels.wasm are served, ending in a slash
 * @param onServer has the server decode a source
 * @param signal ends the trials; figures found by then count
 * @returns rig with the new figures; the same rig without any
 */
export async function runDecodeTrials(
  rig: Rig,
  sources: readonly TriedSource[],
  assets: string,
  onServer: (sourceId: string) => Promise<readonly DecodeFigures[]>,
  signal?: AbortSignal,
): Promise<Rig> {
  let known = rig;
  if (untriedSources(rig, sources).browser.length) {
    const probe = await RigProbe.create(assets);
    try {
      for (const source of sources) {
        if (signal?.aborted || !untriedSources(known, [source]).browser.length) continue;
        const trials = await tryDecoding(probe, source, TRIAL_SECONDS, false);
        known = withTrials(
          known,
          trials.map(({ figures }) => figures),
        );
      }
    } finally {
      probe.dispose();
    }
  }
  for (const source of sources) {
    if (signal?.aborted || !untriedSources(known, [source]).server.length) continue;
    try {
      known = withTrials(known, await onServer(source.id));
    } catch (error) {
      // A trial that was ended on purpose says nothing.
      if (!signal?.aborted) throw error;
    }
  }
  return known;
}
