import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import { timelineSchema, type Timeline } from '../timeline/index.js';
import { readOtio, relink, writeOtio, type Json, type JsonObject } from './index.js';
import { clip, counter, file, MEDIA, mediaOf, range, SIZE } from './testing-media.js';

const timelineOf = (text: string): Timeline => {
  const timeline = relink(readOtio(text), MEDIA, SIZE, counter());
  expect(timelineSchema.isValidSync(timeline, { strict: true })).toBe(true);
  return timeline;
};
const writtenStack = (timeline: Timeline): JsonObject =>
  (JSON.parse(writeOtio('Back', timeline, mediaOf)) as { tracks: JsonObject }).tracks;
const childrenOf = (item: Json): JsonObject[] => (item as { children: JsonObject[] }).children;
const firstTrack = (timeline: Timeline): JsonObject[] => childrenOf(childrenOf(writtenStack(timeline))[0]!);
const wholeFile = (stack: object): string =>
  JSON.stringify({
    OTIO_SCHEMA: 'Timeline.1',
    name: 'By hand',
    tracks: { OTIO_SCHEMA: 'Stack.1', name: 'reel one', ...stack },
  });

describe('What other programs say in OpenTimelineIO', () => {
  it('keeps metadata and effects that it does not know, and writes them back as they were', () => {
    const glow = {
      OTIO_SCHEMA: 'Effect.1',
      effect_name: 'Glow',
      metadata: { strength: [1, { deep: true }] },
    };
    const text = file(clip('weir', 48, 24, { metadata: { other: { reel: 'A7' } }, effects: [glow] }));
    const timeline = relink(readOtio(text), MEDIA, SIZE, counter());
    expect(timelineSchema.isValidSync(timeline, { strict: true })).toBe(true);
    const written = JSON.parse(writeOtio('Back', timeline, mediaOf)) as {
      tracks: { children: { children: { metadata: object; effects: object[] }[] }[] };
    };
    const [back] = written.tracks.children[0]!.children;
    expect(back!.metadata).toEqual({ other: { reel: 'A7' } });
    expect(back!.effects).toEqual([glow]);
  });

  it('keeps things that it does not know where they stood, as long as nothing takes their place', () => {
    const weather = { OTIO_SCHEMA: 'Weather.3', source_range: range(0, 6), clouds: [1, { high: true }] };
    const text = file(clip('weir', 0, 10), weather, clip('gulls', 0, 4), weather);
    const timeline = relink(readOtio(text), MEDIA, SIZE, counter());
    expect(timelineSchema.isValidSync(timeline, { strict: true })).toBe(true);
    const children = (line: Timeline): unknown[] =>
      (JSON.parse(writeOtio('Back', line, mediaOf)) as { tracks: { children: { children: unknown[] }[] } })
        .tracks.children[0]!.children;
    expect(children(timeline).filter((each) => (each as { clouds?: unknown }).clouds)).toEqual([
      weather,
      weather,
    ]);
    const [track] = timeline.tracks;
    const longer = { ...track!, clips: [{ ...track!.clips[0]!, length: 12 }, track!.clips[1]!] };
    const left = children({ ...timeline, tracks: [longer] });
    expect(left.filter((each) => (each as { clouds?: unknown }).clouds)).toEqual([weather]);
  });

  it('of markers, transitions, tracks, the stack and empty time is written back', () => {
    const marker = {
      ...{ OTIO_SCHEMA: 'Marker.2', name: 'splash', comment: 'loud', color: 'PINK' },
      ...{ marked_range: range(52, 6), metadata: { other: { id: 7 } } },
    };
    const transition = {
      ...{ OTIO_SCHEMA: 'Transition.1', name: 'soft', transition_type: 'Odd_Dissolve' },
      ...{ in_offset: range(0, 2).duration, out_offset: range(0, 3).duration, metadata: { other: 1 } },
    };
    const gap = { OTIO_SCHEMA: 'Gap.1', source_range: range(0, 9), metadata: { why: 'waits for rain' } };
    const stack = {
      metadata: { other: { reel: 1 } },
      effects: [{ OTIO_SCHEMA: 'Effect.1', effect_name: 'Whole' }],
      children: [
        {
          ...{ OTIO_SCHEMA: 'Track.1', kind: 'Video', name: 'V1', metadata: { lock: true }, tint: 'sea' },
          children: [clip('weir', 48, 24, { markers: [marker] }), transition, clip('gulls', 9, 20), gap],
        },
      ],
    };
    const timeline = timelineOf(wholeFile(stack));
    const back = writtenStack(timeline);
    expect(back).toMatchObject({ name: 'reel one', metadata: stack.metadata, effects: stack.effects });
    expect(back['markers']).toEqual([{ ...marker, marked_range: range(4, 6) }]);
    const [track] = childrenOf(back);
    expect(track).toMatchObject({ metadata: { lock: true }, tint: 'sea' });
    const children = childrenOf(track!);
    expect(children[1]).toEqual(transition);
    expect(children[3]).toEqual({ ...gap, markers: [] });
  });

  it('of several media of a clip is written back, with the one in use', () => {
    const reference = (name: string, more: object = {}): object => ({
      ...{ OTIO_SCHEMA: 'ExternalReference.1', target_url: `/footage/day 1/${name}.mp4`, name },
      ...more,
    });
    const several = {
      OTIO_SCHEMA: 'Clip.2',
      name: 'a',
      source_range: range(0, 10),
      media_references: {
        small: reference('other'),
        camera: reference('weir', { metadata: { card: 'B' }, available_image_bounds: { any: 1 } }),
      },
      active_media_reference_key: 'camera',
    };
    const [back] = firstTrack(timelineOf(file(several)));
    expect(back).toMatchObject({
      active_media_reference_key: 'camera',
      media_references: {
        small: several.media_references.small,
        camera: {
          name: 'weir',
          target_url: 'file:///footage/day%201/weir.mp4',
          metadata: { card: 'B' },
          available_image_bounds: { any: 1 },
        },
      },
    });
    expect(Object.keys((back as { media_references: object }).media_references)).toHaveLength(2);
  });

  it('counts a light copy that Hone had named for its original', () => {
    const text = writeOtio('Back', timelineOf(file(clip('weir', 0, 10))), (id) => ({
      ...mediaOf(id)!,
      copyTarget: 'file:///copies/weir.mp4',
    }));
    const onCopy = text.replace(
      /"active_media_reference_key": "\w+"/,
      '"active_media_reference_key": "light_copy"',
    );
    expect(onCopy).not.toBe(text);
    const timeline = timelineOf(onCopy);
    expect(timeline.tracks[0]!.clips[0]).toMatchObject({ sourceId: 'weir' });
    // The copy may be gone by then: whether there is one is said anew by whoever writes.
    expect(JSON.stringify(firstTrack(timeline))).not.toContain('light_copy');
  });

  describe('nested stacks', () => {
    const inner = {
      OTIO_SCHEMA: 'Stack.1',
      name: 'by the wheel',
      source_range: range(10, 20),
      metadata: { other: { colour: 3 } },
      children: [
        { OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [clip('weir', 0, 15), clip('wheel', 100, 50)] },
        { OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [clip('gulls', 7, 12)] },
        { OTIO_SCHEMA: 'Track.1', kind: 'Audio', children: [clip('gulls', 0, 40)] },
      ],
    };
    const text = file(clip('gulls', 0, 24), inner, clip('weir', 0, 4));
    const kinds = (timeline: Timeline): string[] =>
      timeline.tracks.map(({ kind, name }) => `${kind} ${name}`);

    it('that were not touched are written back as they were', () => {
      const timeline = timelineOf(text);
      expect(kinds(timeline)).toEqual(['picture V1', 'picture V1, nested 1', 'sound V1, nested 2']);
      const tracks = childrenOf(writtenStack(timeline));
      expect(tracks).toHaveLength(1);
      expect(childrenOf(tracks[0]!)[1]).toEqual(inner);
      // Read again it is the same timeline.
      const again = timelineOf(writeOtio('Back', timeline, mediaOf));
      expect(again.tracks.map(({ clips }) => clips.map(({ start, length }) => [start, length]))).toEqual(
        timeline.tracks.map(({ clips }) => clips.map(({ start, length }) => [start, length])),
      );
    });

    it('that moved as a whole are still whole', () => {
      const timeline = timelineOf(text);
      const later = timeline.tracks.map((track) => ({
        ...track,
        clips: track.clips.map((each) => ({ ...each, start: each.start + 50 })),
      }));
      const children = firstTrack({ ...timeline, tracks: later });
      expect(children.map(({ OTIO_SCHEMA: schema }) => schema)).toEqual([
        'Gap.1',
        'Clip.2',
        'Stack.1',
        'Clip.2',
      ]);
    });

    type Edit = (timeline: Timeline) => Timeline;
    const onClips =
      (
        track: number,
        edit: (clips: Timeline['tracks'][0]['clips']) => Timeline['tracks'][0]['clips'],
      ): Edit =>
      (timeline) => ({
        ...timeline,
        tracks: timeline.tracks.map((each, at) =>
          at === track ? { ...each, clips: edit(each.clips) } : each,
        ),
      });
    it.each<[string, Edit]>([
      ['a clip is shorter', onClips(1, ([first]) => [{ ...first!, length: 1 }])],
      ['a clip is gone', onClips(1, () => [])],
      ['a clip shows something else', onClips(2, ([first]) => [{ ...first!, sourceIn: rational(3) }])],
      ['a clip is off', onClips(1, ([first]) => [{ ...first!, enabled: false }])],
      [
        'another stands there too',
        onClips(1, ([first]) => [first!, { ...first!, id: 'x', start: 30, foreign: undefined }]),
      ],
      [
        'one of its tracks is off',
        (timeline) => ({
          ...timeline,
          tracks: timeline.tracks.map((each, at) => (at === 1 ? { ...each, enabled: false } : each)),
        }),
      ],
    ])('are written flat when %s', (_what, edit) => {
      const children = firstTrack(edit(timelineOf(text)));
      expect(children.map(({ OTIO_SCHEMA: schema }) => schema)).toEqual([
        'Clip.2',
        'Clip.2',
        'Clip.2',
        'Clip.2',
      ]);
    });

    it('that are off are laid with all clips off; one in place of a track is kept too', () => {
      const off = timelineOf(file({ ...inner, enabled: false }));
      expect(off.tracks.flatMap(({ clips }) => clips.map(({ enabled }) => enabled))).toEqual([
        ...[false, false, false, false],
      ]);
      const alone = timelineOf(wholeFile({ children: [inner] }));
      expect(alone.tracks[0]!.clips.map(({ length }) => length)).toEqual([5, 15]);
      expect(firstTrack(alone)).toEqual([inner]);
    });
  });
});
