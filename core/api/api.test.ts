import { describe, expect, it } from 'vitest';
import { FIRST_TUNING, tuningSchema } from '../levers/index.js';
import { deliverySchema, defaultDelivery } from '../render/index.js';
import { checked, copyRequestSchema, InputError, newProjectSchema, replyFault } from './index.js';

describe('replies', () => {
  it('are held against the schema of their route', () => {
    const entry = {
      ...{ id: 'a', name: 'A', createdAt: '2026-01-01T00:00:00Z' },
      ...{
        frames: 0,
        rate: { num: 24, den: 1 },
        size: { width: 64, height: 36 },
        picture: null,
        lastRun: null,
      },
    };
    expect(replyFault('get', '/api/projects', [entry])).toBeUndefined();
    expect(replyFault('get', '/api/projects', [{ ...entry, name: 3 }])).toMatch(/name/);
    expect(replyFault('get', '/api/projects', entry)).toBeDefined();
    expect(replyFault('get', '/api/projects/a', { id: 'a', name: 'A' })).toMatch(/required|defined/);
    // A route that gives bytes, and one that there is not.
    expect(replyFault('get', '/api/sources/a/packets', 3)).toBeUndefined();
    expect(replyFault('get', '/api/nothing', 3)).toBeUndefined();
  });
});

describe('input', () => {
  it('passes unchanged when it is right', () => {
    expect(checked(tuningSchema, FIRST_TUNING, 'the tuning')).toEqual(FIRST_TUNING);
    expect(checked(newProjectSchema, { name: 'A' }, 'the project')).toEqual({ name: 'A' });
  });

  it('is refused with every fault named', () => {
    const wrong = { sourceIds: [], divisor: 3 };
    try {
      checked(copyRequestSchema, wrong, 'the request');
      expect.unreachable();
    } catch (error) {
      expect(error).toBeInstanceOf(InputError);
      expect((error as InputError).message).toMatch(/^Could not read the request: /);
      expect((error as InputError).faults.join(' ')).toMatch(/divisor[^]*sourceIds|sourceIds[^]*divisor/);
    }
  });

  it('says that something is missing, also where a rule over several fields trips over it', () => {
    for (const wrong of [{}, { size: null }, { size: {} }, undefined, null])
      expect(() => checked(deliverySchema, wrong, 'the delivery')).toThrow(InputError);
    const trips = deliverySchema.test('trips', 'x', (value) => value.size.width > 0);
    expect(() => checked(trips, {}, 'the delivery')).toThrow(InputError);
  });

  it('is not bent into shape', () => {
    expect(() => checked(tuningSchema, { ...FIRST_TUNING, playScale: '4' }, 'x')).toThrow(InputError);
    expect(() => checked(tuningSchema, { ...FIRST_TUNING, more: 1 }, 'x')).toThrow(InputError);
    expect(() => checked(deliverySchema, defaultDelivery({ width: 1919, height: 1080 }), 'x')).toThrow(
      /even/,
    );
  });
});
