import { formatTimecode, multiply, round, timecodeOf, toNumber, type Rational } from '../time/index.js';
import { clipEnd, speedOf, type Clip, type Timeline, type Track } from '../timeline/index.js';
import type { WrittenMedia } from './otio-write.js';

/** Parts of a timeline that an edit list cannot hold, one sentence each. */
export function cmxLosses(timeline: Timeline): string[] {
  const losses: string[] = [];
  const [pictures, sounds] = chosen(timeline);
  const left = timeline.tracks.filter(
    ({ id, clips }) =>
      clips.length && !pictures.some((track) => track.id === id) && !sounds.some((track) => track.id === id),
  );
  if (left.length)
    losses.push(
      `One picture track and two sound tracks fit: ${left.map(({ name }) => `"${name}"`).join(', ')} will be missing.`,
    );
  if (timeline.markers?.length) losses.push(`${timeline.markers.length} markers will be missing.`);
  const all = timeline.tracks.flatMap(({ clips }) => clips);
  const off = all.filter(({ enabled }) => !enabled).length;
  if (off) losses.push(`${off} clips that are turned off will be missing.`);
  const dips = timeline.tracks
    .flatMap(({ transitions }) => transitions ?? [])
    .filter(({ kind }) => kind === 'dip').length;
  if (dips) losses.push(`${dips} dips to a colour become dissolves.`);
  const done = all.reduce((sum, { effects }) => sum + (effects?.length ?? 0), 0);
  if (done) losses.push(`${done} effects will be missing.`);
  const filling = all.filter(({ framing }) => framing === 'fill').length;
  if (filling) losses.push(`${filling} clips that fill their frame will be shown whole.`);
  const { dropFrame } = timecodeOf(timeline);
  if (timeline.rate.den !== 1 && !dropFrame && timeline.rate.den !== 1001)
    losses.push('The rate is unusual; the list counts in whole frames and does not say it.');
  return losses;
}

function chosen({ tracks }: Timeline): [Track[], Track[]] {
  const held = tracks.filter(({ clips, enabled }) => enabled && clips.length > 0);
  const of = (kind: Track['kind']): Track[] => held.filter((track) => track.kind === kind);
  return [of('picture').slice(0, 1), of('sound').slice(0, 2)];
}

interface Line {
  readonly channel: string;
  readonly clip: Clip;
  readonly from: number;
  readonly to: number;
  /** Clip that the transition comes from, and its length in frames. */
  readonly into?: { readonly clip: Clip; readonly frames: number; readonly code: string } | undefined;
}

/** Writes a timeline as a CMX 3600 edit list, as far as one can hold it; `cmxLosses` lists what is lost. */
export function writeCmx(
  title: string,
  timeline: Timeline,
  mediaOf: (sourceId: string) => WrittenMedia | undefined,
): string {
  const format = timecodeOf(timeline);
  const [pictures, sounds] = chosen(timeline);
  const lines = [
    ...pictures.flatMap((track) => linesOf(track, 'V')),
    ...sounds.flatMap((track, index) => linesOf(track, index ? 'A2' : 'A')),
  ].sort((a, b) => a.from - b.from || b.channel.localeCompare(a.channel));
  const text = [
    `TITLE: ${title.replace(/\s+/g, ' ').slice(0, 70)}`,
    `FCM: ${format.dropFrame ? 'DROP FRAME' : 'NON-DROP FRAME'}`,
    '',
  ];
  const frameOf = (time: Rational): number => round(multiply(time, timeline.rate));
  const timeAt = (clip: Clip, frame: number): number => {
    const start = mediaOf(clip.sourceId)?.startSeconds;
    const offset = Math.round((frame - clip.start) * toNumber(speedOf(clip)));
    return Math.max(0, frameOf(clip.sourceIn) + offset) + (start ? frameOf(start) : 0);
  };
  lines.forEach(({ channel, clip, from, to, into }, index) => {
    const number = String(index + 1).padStart(3, '0');
    const event = (kind: string, source: Clip, at: number, end: number): string => {
      const sourceIn = timeAt(source, at);
      const taken = Math.max(1, Math.round((end - at) * Math.abs(toNumber(speedOf(source)))));
      const times = [
        sourceIn,
        sourceIn + (end > at ? taken : 0),
        timeline.startFrame + at,
        timeline.startFrame + end,
      ];
      const written = times.map((frame) => formatTimecode(frame, format)).join(' ');
      return `${number}  AX       ${channel.padEnd(5)} ${kind.padEnd(8)} ${written}`;
    };
    const nameOf = (each: Clip): string => mediaOf(each.sourceId)?.name ?? each.name;
    if (into) {
      text.push(event('C', into.clip, from, from));
      text.push(event(`${into.code.padEnd(4)} ${String(into.frames).padStart(3, '0')}`, clip, from, to));
      text.push(`* FROM CLIP NAME: ${nameOf(into.clip)}`, `* TO CLIP NAME: ${nameOf(clip)}`);
    } else {
      text.push(event('C', clip, from, to), `* FROM CLIP NAME: ${nameOf(clip)}`);
    }
    const speed = toNumber(speedOf(clip));
    if (speed !== 1) {
      const perSecond = (speed * toNumber(timeline.rate)).toFixed(2).padStart(6, '0');
      text.push(`M2   AX       ${perSecond}                ${formatTimecode(timeAt(clip, from), format)}`);
    }
  });
  return `${text.join('\r\n')}\r\n`;
}

// A transition is written where it begins: from there on the incoming clip is counted.
function linesOf(track: Track, channel: string): Line[] {
  const transitions = new Map((track.transitions ?? []).map((each) => [each.at, each]));
  return track.clips.flatMap((clip, index): Line[] => {
    if (!clip.enabled) return [];
    const into = transitions.get(clip.start);
    const out = transitions.get(clipEnd(clip));
    const before = track.clips[index - 1];
    const line = {
      channel,
      clip,
      from: clip.start - (into?.before ?? 0),
      to: clipEnd(clip) - (out?.before ?? 0),
    };
    if (!into || !before) return [line];
    const code = into.kind === 'wipe' ? 'W001' : 'D';
    return [{ ...line, into: { clip: before, frames: into.before + into.after, code } }];
  });
}
