import { rational } from '@hone/core/time';
import type { Clip, Effect, Marker, Timeline, Track, Transition } from '@hone/core/timeline';
import { clipOf, DRONE, LAPPING, MILL, PHONE, PIT, RATE, TABLE, VOICE, WORKSHOP } from './scenario.js';

/** A cut: shot, first second in it, frames, and other properties of the clip. */
type Cut = readonly [shot: string, second: number, frames: number, more?: Partial<Clip>];

const effect = (kind: string, values: Effect['values'] = {}, keyframes?: Effect['keyframes']): Effect => ({
  id: `${kind}-effect`,
  kind,
  enabled: true,
  values,
  ...(keyframes ? { keyframes } : {}),
});

const OPENING_TITLE: Partial<Clip> = {
  effects: [
    effect('vignette', { stops: 1 }),
    effect(
      'title',
      { text: 'SLACK WATER\na mill that runs on the tide', size: 9, down: 50 },
      {
        opacity: [
          { frame: 24, value: 0, ease: 'smooth' },
          { frame: 48, value: 100, ease: 'hold' },
          { frame: 96, value: 100, ease: 'smooth' },
          { frame: 114, value: 0, ease: 'hold' },
        ],
      },
    ),
  ],
};

const OPENING: readonly Cut[] = [
  [MILL, 0, 120, OPENING_TITLE],
  [WORKSHOP, 1, 60],
  [PIT, 0.5, 72],
  [MILL, 6, 72],
  [DRONE, 0, 108],
  [TABLE, 1, 84],
  [PIT, 2.25, 48],
  [WORKSHOP, 4, 72],
  [MILL, 2.5, 84],
];

/** Crossfades in quick succession over long groups of pictures. */
const MEMORIES: readonly Cut[] = [
  [MILL, 1, 40],
  [DRONE, 1, 36],
  [PIT, 1, 36],
  [MILL, 4, 36],
  [DRONE, 3, 36],
  [PIT, 2.5, 36],
  [MILL, 8, 36],
  [WORKSHOP, 3, 64],
];

const MIDDLE: readonly Cut[] = [
  [DRONE, 0.5, 96],
  [MILL, 3, 84],
  [PIT, 0.5, 60],
  [WORKSHOP, 0.5, 96],
  [TABLE, 4, 72],
  [MILL, 9, 48],
  [PIT, 3, 24],
];

const CLOSING: readonly Cut[] = [
  [WORKSHOP, 5, 84],
  [DRONE, 2, 84],
  [MILL, 5, 96],
  [TABLE, 2, 60],
  [PIT, 1.5, 60],
  [DRONE, 0, 120],
  [PIT, 3, 40],
  [MILL, 2, 240],
];

const STACK_FRAMES = 120;
const DUSK_FRAMES = 240;
const PHONE_FRAMES = 120;
const TAKES = ['p2', 'p3', 'p4', 'p5'] as const;
/** Seconds into the main camera's shot at which the takes of the stack begin; the last one is seen. */
const TAKE_STARTS = [0, 1.5, 3, 4.5, 6.25] as const;

/**
 * "Slack Water": two minutes of a short documentary about a tidal mill, with what makes timelines heavy.
 * @param idOf identifier of the source of a shot
 * @param tableId identifier of the colour table of the dusk
 */
export function slackWater(idOf: (shot: string) => string, tableId: string): Timeline {
  const clips: Record<string, Clip[]> = { p1: [], p2: [], p3: [], p4: [], p5: [] };
  const transitions: Transition[] = [];
  const markers: Marker[] = [];
  let end = 0;
  const put = (track: string, at: number, [shot, second, frames, more]: Cut): void => {
    const row = clips[track]!;
    const id = `${track}-${row.length}`;
    const clip = clipOf(id, shot, idOf, at, frames, rational(Math.round(second * 1000), 1000));
    row.push({ ...clip, ...more });
  };
  const next = (cut: Cut): number => {
    put('p1', end, cut);
    end += cut[2];
    return end - cut[2];
  };
  const mark = (name: string, note: string): void => {
    markers.push({ id: `marker-${markers.length}`, frame: end, name, note });
  };

  OPENING.forEach(next);
  mark('Takes', 'Five takes of the mill on top of each other; the uppermost is seen.');
  const takes = next([MILL, TAKE_STARTS[0], STACK_FRAMES]);
  TAKES.forEach((track, index) => put(track, takes, [MILL, TAKE_STARTS[index + 1]!, STACK_FRAMES]));

  mark('Memories', 'Crossfades in quick succession.');
  MEMORIES.forEach((cut, index) => {
    const at = next(cut);
    if (index > 0) transitions.push({ id: `fade-${index}`, kind: 'crossfade', at, before: 8, after: 8 });
  });

  mark('Dusk', 'Three colour effects and a table on the main camera.');
  const dusk = [
    effect('exposure', { stops: -0.6 }),
    effect('whiteBalance', { light: 5200, tint: 8 }),
    effect('contrast', { contrast: 118 }),
    effect('table', { table: tableId, strength: 80 }),
    effect('sharpen', { amount: 40 }),
  ];
  next([MILL, 0.5, DUSK_FRAMES / 2, { effects: dusk }]);
  next([PIT, 0, DUSK_FRAMES / 2 - 24, { effects: dusk }]);
  next([DRONE, 4, 24, { effects: dusk }]);

  mark('Phone', 'An upright clip over a blurred one that fills the frame.');
  const phone = next([
    PHONE,
    0.5,
    PHONE_FRAMES,
    { framing: 'fill', effects: [effect('blur', { radius: 3 })] },
  ]);
  put('p2', phone, [PHONE, 0.5, PHONE_FRAMES]);

  MIDDLE.forEach(next);
  mark('Two at once', 'The wheel pit, 60 a second, beside the workshop.');
  const beside = next([WORKSHOP, 2, 96]);
  const inset = effect('transform', { scale: 36, across: 28, down: -26 });
  put('p2', beside, [
    PIT,
    0.25,
    96,
    { effects: [inset, effect('mask', { shape: 'rectangle', width: 96, height: 92, feather: 6 })] },
  ]);
  transitions.push({ id: 'dip-1', kind: 'dip', at: end, before: 12, after: 12, colour: '#000000' });
  CLOSING.forEach(next);

  const track = (id: string, kind: Track['kind'], name: string, row: readonly Clip[]): Track => ({
    id,
    kind,
    name,
    enabled: true,
    clips: row,
  });
  const long = (id: string, shot: string, from: number, until: number, seconds: number): Clip[] => {
    const row: Clip[] = [];
    for (let at = from; at < until; at += seconds * 24)
      row.push(
        clipOf(`${id}-${row.length}`, shot, idOf, at, Math.min(seconds * 24, until - at), rational(0)),
      );
    return row;
  };
  return {
    rate: RATE,
    startFrame: 24 * 3600,
    size: { width: 3840, height: 2160 },
    markers,
    tracks: [
      { ...track('p1', 'picture', 'Picture', clips['p1']!), transitions },
      ...TAKES.map((id, index) => track(id, 'picture', `Over ${index + 1}`, clips[id]!)),
      track('s1', 'sound', 'Water', long('water', MILL, 0, end, 11)),
      track('s2', 'sound', 'Voice guide', long('voice', VOICE, 24, end, 39)),
      track('s3', 'sound', 'Lapping', long('lapping', LAPPING, 480, end, 20)),
    ],
  };
}

/** The colour table of the dusk, as .cube: shadows towards blue, lights towards amber. */
export function duskTable(): string {
  const steps = 17;
  const rows = ['# Slack Water', 'TITLE "Dusk at the mill"', `LUT_3D_SIZE ${steps}`];
  const at = (index: number): number => index / (steps - 1);
  for (let b = 0; b < steps; b++) {
    for (let g = 0; g < steps; g++) {
      for (let r = 0; r < steps; r++) {
        const luma = 0.2126 * at(r) + 0.7152 * at(g) + 0.0722 * at(b);
        const warm = luma - 0.45;
        const colour = [at(r) + 0.09 * warm, at(g) + 0.01 * warm, at(b) - 0.12 * warm];
        rows.push(colour.map((value) => Math.min(1, Math.max(0, value)).toFixed(6)).join(' '));
      }
    }
  }
  return rows.join('\n');
}
