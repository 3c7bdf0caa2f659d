import type { Timeline } from './model.js';

/**
 * What of a timeline decides how it plays and what it shows, as one hash for each kind of change. Names, markers and
 * identifiers do not count: two timelines with equal prints play the same frames.
 */
export interface TimelineFingerprint {
  /** Hash of frame size and rate. */
  readonly format: string;
  /** Hash of tracks, clips, transitions and sounds. */
  readonly cuts: string;
  /** Hash of the clips' effects. */
  readonly effects: string;
}

export const FINGERPRINT_PARTS = ['format', 'cuts', 'effects'] as const;
export type FingerprintPart = (typeof FINGERPRINT_PARTS)[number];

export function timelineFingerprint({ size, rate, tracks }: Timeline): TimelineFingerprint {
  const cuts = tracks.map(({ kind, enabled, clips, transitions = [] }) => [
    kind,
    enabled,
    clips.map((clip) => [
      ...[clip.sourceId, clip.start, clip.length, clip.sourceIn.num, clip.sourceIn.den, clip.enabled],
      ...[
        clip.speed?.num ?? 1,
        clip.speed?.den ?? 1,
        clip.framing ?? 'fit',
        clip.fades?.in ?? 0,
        clip.fades?.out ?? 0,
      ],
    ]),
    transitions.map(({ kind: how, at, before, after, colour }) => [how, at, before, after, colour ?? null]),
  ]);
  const effects = tracks.flatMap(({ clips }, track) =>
    clips.flatMap(({ start, effects: list = [] }) =>
      list.length ? [[track, start, list.map((effect) => ordered({ ...effect, id: null }))]] : [],
    ),
  );
  return {
    format: hashText(JSON.stringify([size.width, size.height, rate.num, rate.den])),
    cuts: hashText(JSON.stringify(cuts)),
    effects: hashText(JSON.stringify(effects)),
  };
}

/** The parts in which two timelines differ; none when they play the same. */
export const fingerprintDifferences = (a: TimelineFingerprint, b: TimelineFingerprint): FingerprintPart[] =>
  FINGERPRINT_PARTS.filter((part) => a[part] !== b[part]);

// The order in which the fields of an object came says nothing.
function ordered(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(ordered);
  if (value === null || typeof value !== 'object') return value;
  const entries = Object.entries(value).filter(([, each]) => each !== undefined);
  return entries.sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, each]) => [key, ordered(each)]);
}

/** Two FNV-1a hashes of 32 bits with different offsets, as hexadecimal digits (Fowler, Noll, Vo). */
export function hashText(text: string): string {
  let [a, b] = [0x811c9dc5, 0x9747b28c];
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    a = Math.imul(a ^ code, 0x01000193);
    b = Math.imul(b ^ (code + at), 0x01000193);
  }
  const hex = (value: number): string => (value >>> 0).toString(16).padStart(8, '0');
  return hex(a) + hex(b);
}
