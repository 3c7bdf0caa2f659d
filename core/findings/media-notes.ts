import { toNumber } from '../time/index.js';
import { clipEnd, type Clip } from '../timeline/index.js';
import { isOversized, merged, emptyCause, type Cause, type Scene, type Span } from './cause.js';
import type { Window } from './utilisation.js';

/** A source of so many times the timeline's frames a second has more than is needed. */
const FASTER = 1.4;
/** Fewer waiting pictures leave no room for what comes unevenly. */
const FEWEST_WAITING = 8;
const LEAST_READ_AHEAD_SECONDS = 0.5;

/** What the timeline and its media say against it, whether it plays here or not. */
export function mediaNotes({ situation, prediction, measured }: Scene, windows: readonly Window[]): Cause[] {
  const { timeline, sources, copies, tuning, rig } = situation;
  const { workload: line, work } = prediction;
  const notes: Cause[] = [];
  const drops = prediction.summary.dropped + (measured?.summary.dropped ?? 0);

  const unseen = unseenClips(scenePictures(timeline.tracks), line.segments);
  if (unseen.spans.length)
    notes.push({
      ...emptyCause('unseen clips'),
      spans: unseen.spans,
      numbers: { clips: unseen.clips, most: unseen.most },
    });

  const played = sources.filter(({ id }) => work.media.get(id)?.choice === 'original');
  const fast = played.filter(
    ({ facts }) => facts!.picture && toNumber(facts!.picture.rate) > FASTER * toNumber(timeline.rate),
  );
  if (fast.length && drops === 0)
    notes.push({
      ...emptyCause('thrown away', 'decode'),
      numbers: {
        decodedPerShown: Math.max(
          ...fast.map(({ facts }) => toNumber(facts!.picture!.rate) / toNumber(timeline.rate)),
        ),
        timelineRate: toNumber(timeline.rate),
      },
      names: fast.map(({ name }) => name),
    });
  const large = played.filter(
    ({ facts }) => facts!.picture && isOversized(facts!.picture.size, timeline.size),
  );
  if (large.length && drops === 0)
    notes.push({ ...emptyCause('oversized source', 'decode'), names: large.map(({ name }) => name) });

  const bad = tuning.lightCopies
    ? copies.filter(
        ({ state, sourceId }) => state !== 'ready' && work.media.get(sourceId)?.choice === 'original',
      )
    : [];
  if (bad.length)
    notes.push({
      ...emptyCause('copy not usable', 'decode'),
      numbers: { copies: bad.length },
      names: [...new Set(bad.map(({ state }) => state))],
    });

  const drives = [...work.media.values()];
  const copyDrive = drives.find(({ choice }) => choice === 'light copy')?.drive;
  const speedOf = (name: string): number | undefined =>
    rig.drives.find(({ drive }) => drive === name)?.readBytesPerSecond?.value;
  if (copyDrive !== undefined && !situation.drive) {
    const media = drives.filter(({ choice, drive }) => choice === 'original' && drive !== copyDrive);
    const slower = media.find(({ drive }) => (speedOf(copyDrive) ?? Infinity) < (speedOf(drive) ?? 0));
    const shares = drives.some(({ choice, drive }) => choice === 'original' && drive === copyDrive);
    const busiest = Math.max(0, ...windows.map(({ use }) => use.drive));
    if (slower || (shares && busiest > 0.6))
      notes.push({
        ...emptyCause('drive of copies', 'read'),
        numbers: { driveBytesPerSecond: speedOf(copyDrive) ?? 0, usePercent: 100 * busiest },
        names: [copyDrive, ...(slower ? [slower.drive] : [])],
      });
  }

  const layers = Math.max(1, ...work.preview.graph.stretches.map((stretch) => stretch.layers.length));
  const heaviest = Math.max(0, ...line.segments.map((each) => each.bytesPerPicture));
  const ahead = heaviest ? line.readAheadBytes / heaviest / toNumber(timeline.rate) : Infinity;
  if (line.slots / layers < FEWEST_WAITING || ahead < LEAST_READ_AHEAD_SECONDS)
    notes.push({
      ...emptyCause('memory'),
      numbers: { waiting: line.slots / layers, aheadSeconds: Math.min(ahead, 1e6) },
    });
  return notes;
}

const scenePictures = (tracks: Scene['situation']['timeline']['tracks']): readonly Clip[] =>
  tracks
    .filter(({ kind, enabled }) => kind === 'picture' && enabled)
    .flatMap(({ clips }) => clips.filter(({ enabled }) => enabled));

/** Where clips lie that nobody sees, and the most pictures that another program would decode at once. */
function unseenClips(
  clips: readonly Clip[],
  seen: readonly { readonly clipId: string; readonly from: number; readonly to: number }[],
): { readonly spans: Span[]; readonly clips: number; readonly most: number } {
  const shown = new Map<string, Span[]>();
  for (const { clipId, from, to } of seen) shown.set(clipId, [...(shown.get(clipId) ?? []), { from, to }]);
  const hidden = clips.flatMap((clip): Span[] => {
    const parts = merged(shown.get(clip.id) ?? []);
    const seenFrames = parts.reduce(
      (sum, { from, to }) => sum + Math.min(to, clipEnd(clip)) - Math.max(from, clip.start),
      0,
    );
    return seenFrames < 0.5 * clip.length ? [{ from: clip.start, to: clipEnd(clip) }] : [];
  });
  const edges = clips.flatMap((clip) => [
    { at: clip.start, step: 1 },
    { at: clipEnd(clip), step: -1 },
  ]);
  edges.sort((a, b) => a.at - b.at || a.step - b.step);
  let now = 0;
  let most = 0;
  for (const { step } of edges) {
    now += step;
    most = Math.max(most, now);
  }
  return { spans: merged(hidden), clips: hidden.length, most };
}
