import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { COMMANDS, Shortcuts } from './shortcuts';

describe('shortcuts', () => {
  const stored = new Map<string, string>();
  let opened: Shortcuts | undefined;
  const shortcuts = (): Shortcuts => (opened ??= new Shortcuts());

  beforeEach(() => {
    stored.clear();
    vi.stubGlobal('localStorage', {
      getItem: (key: string) => stored.get(key) ?? null,
      setItem: (key: string, value: string) => stored.set(key, value),
    });
    opened = undefined;
  });
  afterEach(() => vi.unstubAllGlobals());

  it('have a key for each command, and none twice', () => {
    const keys = Object.values(COMMANDS).map(({ key }) => key);
    expect(new Set(keys).size).toBe(keys.length);
    expect(shortcuts().commandOf('h')).toBe('split');
    expect(shortcuts().commandOf('s')).toBeUndefined();
  });

  it('are changed and kept', () => {
    expect(shortcuts().assign('split', 'S')).toBeUndefined();
    expect(shortcuts().commandOf('s')).toBe('split');
    expect(shortcuts().commandOf('h')).toBeUndefined();
    opened = undefined;
    expect(shortcuts().keyOf('split')).toBe('s');
    shortcuts().restore();
    expect(shortcuts().keyOf('split')).toBe('h');
    expect(shortcuts().isChanged()).toBe(false);
  });

  it('name the command that a key is taken by, and keep keys that mean the same everywhere', () => {
    expect(shortcuts().assign('split', 'p')).toEqual({ reason: 'in use', by: 'marker' });
    for (const key of [' ', 'J', 'ArrowLeft', 'F5', 'Escape'])
      expect(shortcuts().assign('split', key)).toEqual({ reason: 'fixed' });
    expect(shortcuts().keyOf('split')).toBe('h');
  });

  it('that are damaged where they are stored are those of Hone', () => {
    for (const text of ['{', '7', '{"split":7,"nonsense":"q","marker":"arrowup"}']) {
      stored.set('hone.shortcuts', text);
      opened = undefined;
      expect(shortcuts().keyOf('split')).toBe('h');
      expect(shortcuts().keyOf('marker')).toBe('p');
    }
  });
});
