import { describe, expect, it } from 'vitest';
import { inDoneOrder } from './order.js';

const listed = (...kinds: string[]) => kinds.map((kind, at) => ({ kind, id: `${kind} ${at}` }));
const kindsOf = (...kinds: string[]): string[] => inDoneOrder(listed(...kinds)).map(({ kind }) => kind);

describe('the order of effects', () => {
  it('is that of the list where pixels are changed', () => {
    expect(kindsOf('title', 'blur', 'exposure')).toEqual(['title', 'blur', 'exposure']);
  });

  it('has masks behind them, and the transform last', () => {
    expect(kindsOf('transform', 'title', 'mask', 'blur', 'denoise')).toEqual([
      'denoise',
      'title',
      'blur',
      'mask',
      'transform',
    ]);
    const ids = inDoneOrder(listed('mask', 'title', 'mask')).map(({ id }) => id);
    expect(ids).toEqual(['title 1', 'mask 0', 'mask 2']);
  });

  it('leaves a list that is in order as it is, the very same', () => {
    const list = listed('blur', 'mask', 'transform');
    expect(inDoneOrder(list)).toBe(list);
  });
});
