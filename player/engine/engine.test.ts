import { previewGraph } from '@hone/core/render';
import { PLAINEST } from '@hone/core/levers';
import { sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { describe, expect, it } from 'vitest';
import type { MediaFile, PreviewPlan } from '../plan.js';
import { Control } from '../shared/control.js';
import { createMemory } from '../shared/kernels.js';
import { ScriptedDecoder } from '../testing/scripted-decoder.js';
import { Engine } from './engine.js';
import type { Screen } from './screen.js';

const SIZE = { width: 64, height: 36 };
const file: MediaFile = {
  ...{
    choice: 'original',
    url: '/media/sources/a',
    stamp: '',
    size: SIZE,
    rate: rational(24),
    constantRate: true,
  },
  ...{ codec: 'h264', profile: 'High', path: null },
  ...{ quarters: 0, shownSize: SIZE, pixels: SIZE, frameCount: 100, framesUrl: null, serverOnly: null },
  ...{ hasAlpha: false, stacked: null, premultiplied: false },
};

/** The plan of one clip of 10 frames. */
function planOf(id: string, start: number): PreviewPlan {
  const clip = { id, name: id, sourceId: 'a', start, length: 10, sourceIn: rational(0), enabled: true };
  const timeline: Timeline = {
    ...{ rate: rational(24), startFrame: 0, size: SIZE },
    tracks: [{ id: 'p', kind: 'picture', name: 'p', enabled: true, clips: [clip] }],
  };
  const facts = sourceFacts({ size: SIZE });
  const preview = previewGraph(
    timeline,
    PLAINEST,
    () => facts,
    () => undefined,
  );
  return { preview, pictures: { a: file }, originals: {}, missing: {}, sounds: {}, composeOn: 'processor' };
}

function setUp() {
  const decoder = new ScriptedDecoder();
  const engine = new Engine(
    {
      composeOn: () => undefined,
      draw: () => ({ composeMs: 0, showMs: 0 }),
    } as unknown as Screen,
    createMemory(),
    Control.create(),
    [decoder],
    { send: () => undefined, onMessage: () => undefined },
    { framePoolBytes: 2 ** 20, keptPictureBytes: 0 },
    () => undefined,
  );
  const opened = (): string[] =>
    decoder.asked.flatMap((each) =>
      each.kind === 'open' ? [`${each.stream.id} from ${each.stream.from} to ${each.stream.to}`] : [],
    );
  const settled = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));
  return { engine, decoder, opened, settled };
}

describe('the engine', () => {
  it('shows the picture of a new plan, sought where the plan before had none', async () => {
    const { engine, decoder, opened, settled } = setUp();
    engine.handle({ kind: 'plan', plan: planOf('before', 0) });
    await settled();
    expect(opened()).toEqual(['1 from 0 to 10']);
    // The decoder of the plan before has not ended yet.
    engine.handle({ kind: 'plan', plan: planOf('after', 20) });
    engine.handle({ kind: 'seek', frame: 25 });
    await settled();
    expect(opened()).toHaveLength(1);
    decoder.reply({ kind: 'closed', stream: 1 });
    await settled();
    expect(opened().slice(1)).toEqual(['2 from 25 to 30']);
  });

  it.each([
    ['before a plan', ['seek', 'plan']],
    ['between two plans', ['plan', 'seek', 'plan']],
    ['and again', ['seek', 'plan', 'seek', 'plan', 'seek']],
  ] as const)('shows what is sought %s, by the last plan', async (_, order) => {
    const { engine, decoder, opened, settled } = setUp();
    engine.handle({ kind: 'plan', plan: planOf('before', 0) });
    await settled();
    for (const kind of order) {
      if (kind === 'plan') engine.handle({ kind, plan: planOf('after', 20) });
      else engine.handle({ kind, frame: 25 });
    }
    await settled();
    decoder.reply({ kind: 'closed', stream: 1 });
    await settled();
    expect(opened().slice(1)).toEqual(['2 from 25 to 30']);
  });
});
