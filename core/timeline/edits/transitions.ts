import { clipEnd, fittingTransitions, type Timeline, type Track, type TransitionKind } from '../model.js';
import { withTracks, type NewId } from './clip-slicing.js';

/**
 * Puts a transition at a cut, half of it on each side, as long as wanted or as the clips beside it allow. One that
 * exists there already is replaced.
 * @param dipColour what a dip goes through, as #rrggbb
 * @returns the same timeline when there is no cut at the frame
 */
export function putTransition(
  timeline: Timeline,
  trackId: string,
  at: number,
  frames: number,
  kind: TransitionKind,
  newId: NewId,
  dipColour = '#000000',
): Timeline {
  return withTracks(timeline, (track) => {
    const out = track.clips.find((clip) => clipEnd(clip) === at);
    const into = track.clips.find(({ start }) => start === at);
    if (track.id !== trackId || !out || !into) return track;
    const others = (track.transitions ?? []).filter((each) => each.at !== at);
    const low = Math.max(
      out.start,
      ...others.filter((each) => each.at < at).map((each) => each.at + each.after),
    );
    const high = Math.min(
      clipEnd(into),
      ...others.filter((each) => each.at > at).map((each) => each.at - each.before),
    );
    const before = Math.min(at - low, Math.floor(frames / 2));
    const after = Math.min(high - at, frames - Math.floor(frames / 2));
    if (before + after === 0) return track;
    const colour = kind === 'dip' ? { colour: dipColour } : {};
    const transitions = [...others, { id: newId(), kind, at, before, after, ...colour }];
    return { ...track, transitions: transitions.sort((a, b) => a.at - b.at) };
  });
}

/** Makes a transition longer or shorter, about its cut, as far as the clips beside it allow; two frames at least. */
export function setTransitionLength(timeline: Timeline, id: string, frames: number): Timeline {
  const track = timeline.tracks.find(({ transitions }) => transitions?.some((each) => each.id === id));
  const before = track?.transitions?.find((each) => each.id === id);
  if (!track || !before || before.before + before.after === frames) return timeline;
  const { at, kind, colour, foreign } = before;
  const put = putTransition(timeline, track.id, at, Math.max(2, frames), kind, () => id, colour);
  return withTracks(put, (each) =>
    each.id === track.id && each.transitions && foreign
      ? { ...each, transitions: each.transitions.map((one) => (one.id === id ? { ...one, foreign } : one)) }
      : each,
  );
}

export const removeTransition = (timeline: Timeline, id: string): Timeline =>
  withTracks(timeline, (track) =>
    track.transitions?.some((each) => each.id === id)
      ? { ...track, transitions: track.transitions.filter((each) => each.id !== id) }
      : track,
  );

/** Takes away transitions whose cut is gone, as after any other edit. */
export const settled = (timeline: Timeline): Timeline =>
  withTracks(timeline, (track) => {
    const transitions = fittingTransitions(track);
    return transitions.length === (track.transitions?.length ?? 0) ? track : { ...track, transitions };
  });

/** The cut of a track that is nearest to a frame. */
export function nearestCut({ clips }: Track, frame: number): number | undefined {
  let best: number | undefined;
  for (let at = 1; at < clips.length; at++) {
    const cut = clips[at]!.start;
    if (cut !== clipEnd(clips[at - 1]!)) continue;
    if (best === undefined || Math.abs(cut - frame) < Math.abs(best - frame)) best = cut;
  }
  return best;
}
