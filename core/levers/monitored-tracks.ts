import type { Timeline, Track } from '../timeline/index.js';
import type { Tuning } from './tuning.js';

/** Levers that leave tracks out while a preview plays. */
export type TrackLevers = Pick<Tuning, 'listenOnly' | 'tracksOff' | 'soloTracks'>;

/** Whether a track is left out while it plays: it is off, another one of its kind is solo, or all pictures are off. */
export function isLeftOut(track: Track, tracks: readonly Track[], levers: TrackLevers): boolean {
  const { listenOnly = false, tracksOff = [], soloTracks = [] } = levers;
  if (track.kind === 'picture' && listenOnly) return true;
  if (tracksOff.includes(track.id)) return true;
  const isSoloed = tracks.some(({ id, kind }) => kind === track.kind && soloTracks.includes(id));
  return isSoloed && !soloTracks.includes(track.id);
}

/** Enabled tracks with clips that are left out while it plays. */
export const tracksLeftOut = ({ tracks }: Pick<Timeline, 'tracks'>, levers: TrackLevers): Track[] =>
  tracks.filter((track) => track.enabled && track.clips.length > 0 && isLeftOut(track, tracks, levers));

/** A tuning without its levers of tracks: those of a timeline say nothing of a source that is played alone. */
export const withoutTrackLevers = (tuning: Tuning): Tuning => ({
  ...tuning,
  ...{ listenOnly: undefined, tracksOff: undefined, soloTracks: undefined },
});

/** A timeline as it is played: tracks that are left out are disabled. @returns the same timeline where none is */
export function monitored(timeline: Timeline, levers: TrackLevers): Timeline {
  const out = new Set(tracksLeftOut(timeline, levers));
  if (out.size === 0) return timeline;
  const tracks = timeline.tracks.map((track) => (out.has(track) ? { ...track, enabled: false } : track));
  return { ...timeline, tracks };
}
