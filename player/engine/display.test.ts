import { previewGraph } from '@hone/core/render';
import { PLAINEST } from '@hone/core/levers';
import { sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { describe, expect, it } from 'vitest';
import type { PreviewPlan } from '../plan.js';
import { Control } from '../shared/control.js';
import type { ShownPixels } from '../shared/messages.js';
import { Display } from './display.js';
import type { Layout } from './layout.js';
import { PlanView } from './plan-view.js';
import type { Screen } from './screen.js';
import type { ReadyPicture } from './ready-picture.js';

const SIZE = { width: 64, height: 36 };
const timeline: Timeline = {
  ...{ rate: rational(24), startFrame: 0, size: SIZE },
  tracks: [
    {
      ...{ id: 'p', kind: 'picture', name: 'p', enabled: true },
      clips: ['a', 'b'].map((id, at) => ({
        ...{ id, name: id, sourceId: id, start: 10 * at, length: 10, sourceIn: rational(0), enabled: true },
      })),
    },
  ],
};

/** A display whose screen only notes which pictures it was given. */
function setUp() {
  const preview = previewGraph(
    timeline,
    PLAINEST,
    () => sourceFacts({ size: SIZE }),
    () => undefined,
  );
  const plan = new PlanView({
    preview,
    pictures: { a: { choice: 'original' }, b: { choice: 'light copy' } },
    originals: {},
    missing: {},
  } as unknown as PreviewPlan);
  const drawn: (ReadyPicture | undefined)[][] = [];
  const screen = {
    processor: 'processor',
    draw: (layers: readonly { picture: ReadyPicture | undefined }[]) => {
      drawn.push(layers.map(({ picture }) => picture));
      return { composeMs: 1, showMs: 2 };
    },
  } as unknown as Screen;
  const told: ShownPixels[] = [];
  const control = Control.create();
  const display = new Display(screen, new WebAssembly.Memory({ initial: 1 }), control, (pixels) =>
    told.push(pixels),
  );
  const ready = (clipId: string, decoder: 'browser' | 'server') =>
    new Map([[clipId, { decoder } as unknown as ReadyPicture]]);
  const layout = { slates: [], compose: {} } as unknown as Layout;
  const show = (frame: number, pictures: ReadonlyMap<string, ReadyPicture> | undefined) =>
    display.show(frame, plan, layout, SIZE, pictures);
  return { display, drawn, told, control, ready, show };
}

describe('the display', () => {
  it('draws what is ready, and says what that took and which frame stands', () => {
    const { drawn, control, ready, show } = setUp();
    const pictures = ready('a', 'browser');
    expect(show(3, pictures)).toEqual({ composeMs: 1, showMs: 2 });
    expect(drawn).toEqual([[pictures.get('a')]]);
    expect(control.get('shownFrame')).toBe(3);
  });

  it('tells what a frame is made of only when that changes', () => {
    const { told, ready, show } = setUp();
    for (const frame of [0, 1, 2]) show(frame, ready('a', 'browser'));
    expect(told).toEqual([
      {
        size: SIZE,
        from: [{ choice: 'original', pixels: null, decoder: 'browser' }],
        leftOut: [],
        composedOn: 'processor',
      },
    ]);
    show(12, ready('b', 'browser'));
    show(13, ready('b', 'browser'));
    expect(told.map(({ from }) => from[0]!.choice)).toEqual(['original', 'light copy']);
  });

  it('remembers whose pictures the server decoded', () => {
    const { display, ready, show } = setUp();
    show(0, ready('a', 'browser'));
    show(10, ready('b', 'server'));
    expect([...display.serverDecoded]).toEqual(['b']);
  });

  it('draws nothing for a clip that is neither ready nor missing', () => {
    const { drawn, show } = setUp();
    show(0, undefined);
    expect(drawn).toEqual([[undefined]]);
  });
});
