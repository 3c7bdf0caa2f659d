import { describe, expect, it } from 'vitest';
import { readySource, sourceFacts } from '../testing/index.js';
import { withPath } from '../levers/index.js';
import {
  automaticPath,
  chosenDecoders,
  decodePathOf,
  lacksPath,
  SIMULATED_RIGS,
  untriedSources,
  type DecodeFigures,
  type Rig,
} from './index.js';

const facts = sourceFacts();
const picture = facts.picture!;
const source = readySource('a', facts);

type Path = DecodeFigures['acceleration'];

/** Figures of the source's kind of picture by some paths, ms a picture; null where it does not decode. */
function rigOf(measured: Partial<Record<Path, number | null>>, paths?: ('hardware' | 'software')[]): Rig {
  const [rig] = SIMULATED_RIGS;
  const [like] = rig!.decoders.filter(({ msPerFrame }) => msPerFrame);
  const decoders = Object.entries(measured).map(([acceleration, ms]): DecodeFigures => ({
    ...like!,
    decoder: 'browser',
    codec: picture.codec,
    chroma: picture.chroma,
    bitDepth: picture.bitDepth,
    acceleration: acceleration as Path,
    paths,
    msPerFrame: ms === null ? null : { ...like!.msPerFrame!, value: ms },
  }));
  return { ...rig!, decoders };
}

describe('the path that pictures are decoded by', () => {
  const both = ['hardware', 'software'] as const;

  it('is the quicker one as measured, not the one that is called hardware', () => {
    const slowHardware = rigOf({ hardware: 30, software: 12 }, [...both]);
    expect(automaticPath(slowHardware, picture)).toBe('software');
    expect(automaticPath(rigOf({ hardware: 9, software: 12 }, [...both]), picture)).toBe('hardware');
    expect(automaticPath(rigOf({ software: 12 }, ['software']), picture)).toBe('software');
    expect(automaticPath(rigOf({}), picture)).toBeUndefined();
  });

  it('is hardware where it is twice as fast as the source plays, which leaves the cores to effects', () => {
    const rig = rigOf({ hardware: 8, software: 5 }, [...both]);
    expect(automaticPath(rig, { ...picture, rate: { num: 25, den: 1 } })).toBe('hardware');
    expect(automaticPath(rig, { ...picture, rate: { num: 120, den: 1 } })).toBe('software');
  });

  it('is the chosen one where the browser has it', () => {
    const rig = rigOf({ hardware: 9, software: 12 }, [...both]);
    const software = withPath(undefined, picture, 'software');
    expect(decodePathOf(rig, picture, software)).toBe('software');
    expect(decodePathOf(rig, { ...picture, profile: 'another' }, software)).toBe('hardware');
    const hardware = withPath(software, picture, 'hardware');
    expect(hardware).toHaveLength(1);
    expect(decodePathOf(rigOf({ software: 12 }, ['software']), picture, hardware)).toBe('software');
    expect(withPath(hardware, picture, undefined)).toBeUndefined();
  });

  it('is lacking only where the browser was tried', () => {
    expect(lacksPath(rigOf({}), picture, 'hardware')).toBe(false);
    expect(lacksPath(rigOf({ unknown: 12 }), picture, 'hardware')).toBe(false);
    expect(lacksPath(rigOf({ software: 12 }), picture, 'hardware')).toBe(true);
    expect(lacksPath(rigOf({ hardware: 9 }, ['hardware']), picture, 'software')).toBe(true);
    // A decoder that is offered and then fails is none.
    expect(lacksPath(rigOf({ none: null, software: 12 }, [...both]), picture, 'hardware')).toBe(true);
  });

  it('is tried again where an older rig knows hardware only', () => {
    const older = rigOf({ hardware: 9 });
    const sized = {
      ...older,
      decoders: older.decoders.map((each) => ({ ...each, ...picture.size, bitsPerFrame: 0 })),
    };
    expect(lacksPath(sized, picture, 'software')).toBe(false);
    expect(untriedSources(sized, [source]).browser).toEqual([source]);
    const now = { ...sized, decoders: sized.decoders.map((each) => ({ ...each, paths: [...both] })) };
    expect(untriedSources(now, [source]).browser).toEqual([]);
  });

  it('of each source is that of its picture, and the server where the browser refuses', () => {
    const rig = rigOf({ hardware: 9, software: 12 }, [...both]);
    expect(chosenDecoders(rig, [source], undefined)).toEqual({ sources: { a: 'hardware' } });
    expect(chosenDecoders(rig, [source], withPath(undefined, picture, 'software'))).toEqual({
      sources: { a: 'software' },
    });
    expect(chosenDecoders(rigOf({ none: null }), [source], undefined)).toEqual({ sources: { a: 'server' } });
    expect(chosenDecoders(rigOf({}), [source], undefined)).toEqual({ sources: {} });
  });
});
