import { max } from 'd3-array';
import { toNumber } from '@hone/core/time';
import { clipEnd, speedOf, type Clip, type Marker, type Track } from '@hone/core/timeline';
import { frameOf, xOf, type Area, type Axis, type Palette } from './axis';

/** Text on a clip besides its name. */
export type ClipNote = (clip: Clip, track: Track) => string;

/** What a source shows of itself on its clips; each part may not be there yet. */
export interface ClipPreview {
  /** Pictures side by side in one image, at even distances over the source. */
  readonly strip?: {
    readonly image: CanvasImageSource;
    readonly pictures: number;
    readonly width: number;
    readonly height: number;
  };
  /** Loudest sample of each hundredth of a second of the source, 0 to 255. */
  readonly peaks?: Uint8Array;
  /** Length of the source, seconds. */
  readonly seconds: number;
}

/** Where clips get the pictures and sound that are drawn on them. */
export interface Previews {
  /** @returns undefined where there is nothing yet */
  readonly of: (sourceId: string) => ClipPreview | undefined;
  /** Frames a second of the timeline. */
  readonly rate: number;
}

/** Clips narrower than this have neither filmstrip nor waveform. */
const PREVIEW_PIXELS = 12;

/** A clip narrower than this has no room for a name. */
const NAMED_PIXELS = 24;

/** Text of a clip's speed; empty at normal speed. */
export function speedText(clip: Pick<Clip, 'speed'>): string {
  const { num, den } = speedOf(clip);
  const percent = Math.round((1000 * Math.abs(num)) / den) / 10;
  return [...(percent === 100 ? [] : [`${percent} %`]), ...(num < 0 ? ['backwards'] : [])].join(' ');
}

/**
 * The clips of a track as outlined boxes with their names. Only those in view are looked at, and those that share a
 * pixel are drawn as one.
 */
export function drawTrack(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  track: Track,
  noteOf: ClipNote,
  palette: Palette,
  chosen: ReadonlySet<string> = new Set(),
  previews?: Previews,
): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
  const perFrame = (axis.right - axis.left) / (axis.to - axis.from);
  const xAt = (frame: number): number => axis.left + (frame - axis.from) * perFrame;
  let drawnTo = -Infinity;
  // Looking a colour up takes longer than drawing a clip.
  let effectsColour: string | undefined;
  for (let at = firstInView(track.clips, axis.from); at < track.clips.length; at++) {
    const clip = track.clips[at]!;
    if (clip.start >= axis.to) break;
    const from = Math.max(axis.left, xAt(clip.start));
    const to = Math.min(axis.right, xAt(clipEnd(clip)));
    const isChosen = chosen.has(clip.id);
    if (to - drawnTo < 0.75 && !isChosen) continue;
    drawnTo = to;
    const isOn = clip.enabled && track.enabled;
    const width = Math.max(1, to - from - 1);
    context.fillStyle = isChosen ? palette.chosen : isOn ? palette.high : palette.surface;
    context.fillRect(from, area.top + 1, width, area.height - 2);
    if (width < 3) continue;
    const preview = isOn && width >= PREVIEW_PIXELS ? previews?.of(clip.sourceId) : undefined;
    if (preview && previews)
      drawPreview(context, { axis, area, clip, from, width }, preview, track, previews.rate, palette);
    context.fillStyle = isChosen ? palette.ink : palette.quiet;
    context.fillRect(from, area.top + 1, 1.5, area.height - 2);
    if (isChosen) outline(context, from, area, width);
    if (clip.effects?.some(({ enabled }) => enabled)) {
      effectsColour ??= palette.stage('effects');
      context.fillStyle = effectsColour;
      context.fillRect(from, area.top + area.height - 3, width, 2);
    }
    if (width < (preview ? 2 : 1) * NAMED_PIXELS) continue;
    context.save();
    context.beginPath();
    context.rect(from + 6, area.top, Math.max(0, width - 8), area.height);
    context.clip();
    const notes = [isOn ? '' : 'off', speedText(clip), noteOf(clip, track)].filter(Boolean).join(' · ');
    const middle = preview ? area.top + 9 : area.top + area.height / 2 + 0.5;
    if (preview) {
      // A ground of its own, so that the name can be read over any picture.
      context.fillStyle = palette.high;
      context.globalAlpha = 0.8;
      context.fillRect(
        from + 2,
        area.top + 2,
        Math.min(width, context.measureText(clip.name).width + 10),
        14,
      );
      context.globalAlpha = 1;
    }
    context.fillStyle = isOn ? palette.ink : palette.quiet;
    context.fillText(clip.name, from + 6, middle);
    if (notes && width > 3 * NAMED_PIXELS) {
      const after = from + 14 + context.measureText(clip.name).width;
      context.fillStyle = palette.quiet;
      context.fillText(notes, after, middle);
    }
    context.restore();
  }
  drawTransitions(context, axis, area, track, palette);
}

/** A clip as it is drawn. */
interface DrawnClip {
  readonly axis: Axis;
  readonly area: Area;
  readonly clip: Clip;
  /** Left edge and width of the part in view, CSS pixels. */
  readonly from: number;
  readonly width: number;
}

/** Filmstrip or waveform of the part of a clip that is in view: each column shows the moment that plays there. */
function drawPreview(
  context: CanvasRenderingContext2D,
  { axis, area, clip, from, width }: DrawnClip,
  { strip, peaks, seconds }: ClipPreview,
  track: Track,
  rate: number,
  palette: Palette,
): void {
  const speed = toNumber(speedOf(clip));
  const secondsAt = (x: number): number =>
    toNumber(clip.sourceIn) + (speed * (frameOf(axis, x) - clip.start)) / rate;
  const [top, height] = [area.top + 1, area.height - 2];
  if (track.kind === 'picture' && strip) {
    const each = (height * strip.width) / strip.height;
    for (let x = from; x < from + width; x += each) {
      const share = secondsAt(x + each / 2) / seconds;
      const index = Math.min(strip.pictures - 1, Math.max(0, Math.floor(share * strip.pictures)));
      const part = Math.min(1, (from + width - x) / each);
      context.drawImage(
        strip.image,
        ...([index * strip.width, 0, part * strip.width, strip.height] as const),
        ...([x, top, part * each, height] as const),
      );
    }
  }
  if (track.kind !== 'sound' || !peaks) return;
  context.fillStyle = palette.quiet;
  context.globalAlpha = 0.6;
  const perSecond = peaks.length / seconds;
  for (let x = Math.ceil(from); x < from + width; x++) {
    const [a, b] = [secondsAt(x), secondsAt(x + 1)];
    const first = Math.max(0, Math.floor(Math.min(a, b) * perSecond));
    const last = Math.max(first + 1, Math.floor(Math.max(a, b) * perSecond));
    const loudest = max(peaks.subarray(first, last)) ?? 0;
    const bar = (loudest / 255) * height;
    if (bar >= 1) context.fillRect(x, top + (height - bar) / 2, 1, bar);
  }
  context.globalAlpha = 1;
}

/** Transitions as a box across the cut, with a line from the clip that goes to the one that comes. */
function drawTransitions(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  track: Track,
  palette: Palette,
): void {
  for (const { at, before, after } of track.transitions ?? []) {
    if (at + after <= axis.from || at - before >= axis.to) continue;
    const from = Math.max(axis.left, xOf(axis, at - before));
    const to = Math.min(axis.right, xOf(axis, at + after));
    context.fillStyle = palette.surface;
    context.fillRect(from, area.top + 3, to - from, area.height - 6);
    context.strokeStyle = palette.quiet;
    context.strokeRect(from + 0.5, area.top + 3.5, Math.max(1, to - from - 1), area.height - 7);
    context.beginPath();
    context.moveTo(from, area.top + area.height - 3);
    context.lineTo(to, area.top + 3);
    context.stroke();
  }
}

function outline(context: CanvasRenderingContext2D, left: number, area: Area, width: number): void {
  context.fillRect(left, area.top + 1, width, 1.5);
  context.fillRect(left, area.top + area.height - 2.5, width, 1.5);
  context.fillRect(left + width - 1.5, area.top + 1, 1.5, area.height - 2);
}

/** Index of the first clip that ends behind a frame. */
function firstInView(clips: readonly Clip[], frame: number): number {
  let low = 0;
  let high = clips.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (clipEnd(clips[middle]!) > frame) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** Markers as flags on the ruler, each with its name where there is room. */
export function drawMarkers(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  markers: readonly Marker[],
  palette: Palette,
): void {
  const inView = markers.filter(({ frame }) => frame >= axis.from && frame < axis.to);
  context.fillStyle = palette.ink;
  for (const { frame } of inView) {
    const x = Math.round(xOf(axis, frame));
    context.beginPath();
    context.moveTo(x - 4, area.top);
    context.lineTo(x + 4, area.top);
    context.lineTo(x, area.top + 7);
    context.fill();
    context.fillRect(x - 0.5, area.top, 1, area.height);
  }
}

/** Timecode marks at round distances. */
export function drawRuler(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  framesPerSecond: number,
  labelOf: (frame: number) => string,
  palette: Palette,
): void {
  const room = 110;
  const perPixel = (axis.to - axis.from) / (axis.right - axis.left);
  const whole = Math.round(framesPerSecond);
  const seconds = [1, 2, 5, 10, 30, 60, 300, 600, 3600].map((count) => count * whole);
  const steps = [1, 2, 5, 10, ...seconds];
  const step = steps.find((frames) => frames / perPixel >= room) ?? steps.at(-1)!;
  context.fillStyle = palette.quiet;
  for (let frame = Math.ceil(axis.from / step) * step; frame < axis.to; frame += step) {
    const x = xOf(axis, frame);
    context.fillRect(x, area.top + area.height - 5, 1, 5);
    if (x + 84 < axis.right) context.fillText(labelOf(frame), x + 4, area.top + area.height / 2);
  }
}
