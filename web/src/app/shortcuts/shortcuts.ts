import { computed, Injectable, signal } from '@angular/core';

/** Commands whose key the user can choose, with the key that Hone gives them. */
export const COMMANDS = {
  clearInOut: { name: 'Clear in and out', key: 'u' },
  split: { name: 'Split the selected clips at the playhead; all tracks if none is selected', key: 'h' },
  crossfade: { name: 'Crossfade at the cut nearest to the playhead', key: 'x' },
  trimStart: { name: 'Trim the start of the selected clips to the playhead', key: ',' },
  trimEnd: { name: 'Trim the end of the selected clips to the playhead', key: '.' },
  disable: { name: 'Disable or enable the selected clips', key: 'y' },
  marker: { name: 'Add a marker at the playhead', key: 'p' },
  effects: { name: 'Effects of the selected clip', key: 'e' },
  snapping: { name: 'Turn snapping on or off', key: 'g' },
  copies: { name: 'Play from light copies or from originals', key: 'c' },
  mute: { name: 'Mute the preview, or not', key: 'n' },
  lowerScale: { name: 'Fewer pixels in the preview', key: '[' },
  higherScale: { name: 'More pixels in the preview', key: ']' },
  zoomIn: { name: 'Zoom in on the timeline', key: '+' },
  zoomOut: { name: 'Zoom out of the timeline', key: '-' },
  zoomWhole: { name: 'Show the whole timeline', key: '0' },
} as const satisfies Record<string, { readonly name: string; readonly key: string }>;

export type Command = keyof typeof COMMANDS;

const NAMES = Object.keys(COMMANDS) as Command[];

/** Keys that mean the same everywhere and cannot be given to anything else. */
const FIXED = [
  ' ',
  'j',
  'k',
  'l',
  'i',
  'o',
  '?',
  'enter',
  'tab',
  'escape',
  'delete',
  'backspace',
  'home',
  'end',
];

const isFree = (key: string): boolean => !FIXED.includes(key) && !key.startsWith('arrow') && key.length === 1;

const STORED = 'hone.shortcuts';

/** Text of a key on a label. */
export const keyLabel = (key: string): string => (key === '-' ? '−' : key.toUpperCase());

/** Why a key is not taken. */
export type KeyRefusal = 'fixed' | 'in use';

/** The keys of commands, as the user has chosen them. They are kept in the browser, for each user of it. */
@Injectable({ providedIn: 'root' })
export class Shortcuts {
  private readonly chosen = signal<Readonly<Partial<Record<Command, string>>>>(read());
  readonly isChanged = computed(() => Object.keys(this.chosen()).length > 0);

  keyOf(command: Command): string {
    return this.chosen()[command] ?? COMMANDS[command].key;
  }

  /** The label of a command's key. */
  label(command: Command): string {
    return keyLabel(this.keyOf(command));
  }

  /** The command of a key, in lower case; undefined when it has none. */
  commandOf(key: string): Command | undefined {
    return NAMES.find((command) => this.keyOf(command) === key);
  }

  /**
   * Gives a command another key.
   * @returns why it is not taken, and the command that has it; undefined when it is
   */
  assign(command: Command, pressed: string): { reason: KeyRefusal; by?: Command } | undefined {
    const key = pressed.toLowerCase();
    if (!isFree(key)) return { reason: 'fixed' };
    const by = this.commandOf(key);
    if (by !== undefined && by !== command) return { reason: 'in use', by };
    const isUsual = COMMANDS[command].key === key;
    const others = Object.entries(this.chosen()).filter(([name]) => name !== command);
    this.keep({ ...Object.fromEntries(others), ...(isUsual ? {} : { [command]: key }) });
    return undefined;
  }

  /** Gives all commands the keys that Hone gives them. */
  restore(): void {
    this.keep({});
  }

  private keep(chosen: Partial<Record<Command, string>>): void {
    this.chosen.set(chosen);
    localStorage.setItem(STORED, JSON.stringify(chosen));
  }
}

// Stored shortcuts may be of another version, or damaged: only valid keys count.
function read(): Partial<Record<Command, string>> {
  if (!('localStorage' in globalThis)) return {};
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(STORED) ?? '{}');
    if (typeof stored !== 'object' || stored === null) return {};
    return Object.fromEntries(
      Object.entries(stored).filter(
        ([command, key]) => NAMES.includes(command as Command) && typeof key === 'string' && isFree(key),
      ),
    );
  } catch {
    return {};
  }
}
