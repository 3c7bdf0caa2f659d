import type { Source } from '../api/index.js';
import { FACTS_VERSION, type PictureFacts, type SourceFacts } from '../media/index.js';
import { rational, ZERO } from '../time/index.js';

/** Facts of a made-up picture, for tests: 3840 × 2160, 24 frames a second, ten seconds of long-GOP H.264. */
export function pictureFacts(other: Partial<PictureFacts> = {}): PictureFacts {
  return {
    codec: 'h264',
    profile: 'High',
    level: 51,
    size: { width: 3840, height: 2160 },
    pixelAspect: rational(1),
    rotation: 0,
    rate: rational(24),
    averageRate: rational(24),
    realRate: rational(24),
    constantRate: true,
    frameCount: 240,
    pixelFormat: 'yuv420p',
    chroma: '4:2:0',
    bitDepth: 8,
    alpha: false,
    scan: 'progressive',
    colour: { matrix: 'bt709', primaries: 'bt709', transfer: 'bt709', range: 'limited' },
    timescale: 12_288,
    ...other,
  };
}

/** Facts of a made-up source, for tests. */
export function sourceFacts(
  picture: Partial<PictureFacts> | null = {},
  other: Partial<SourceFacts> = {},
): SourceFacts {
  return {
    version: FACTS_VERSION,
    container: 'mov,mp4,m4a,3gp,3g2,mj2',
    timecode: null,
    duration: rational(10),
    pictureStart: ZERO,
    bytes: 75_000_000,
    bitsPerSecond: 60_000_000,
    picture: picture && pictureFacts(picture),
    sound: null,
    ...other,
  };
}

/** A made-up source that is ready, for tests. */
export function readySource(
  id: string,
  facts: SourceFacts = sourceFacts(),
  other: Partial<Source> = {},
): Source {
  return {
    id,
    projectId: 'p',
    name: id,
    state: 'ready',
    problem: null,
    bytes: facts.bytes,
    facts,
    structure: null,
    contentHash: null,
    folder: '/',
    drive: '/',
    bin: '',
    tags: [],
    stills: null,
    stamp: '1',
    strip: null,
    damage: null,
    sound: null,
    ...other,
  };
}
