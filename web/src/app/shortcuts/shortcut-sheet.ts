import { Component, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';
import { COMMANDS, keyLabel, Shortcuts, type Command } from './shortcuts';

/** Sheet of keyboard shortcuts, where they can be changed, with Hone's own words explained. */
@Component({
  selector: 'hone-shortcut-sheet',
  imports: [MatButtonModule, MatDialogModule],
  templateUrl: './shortcut-sheet.html',
  styles: `
    p {
      margin-top: 10px;
    }
    kbd,
    .key {
      font: inherit;
      font-weight: 600;
      padding: 1px 7px;
      border: 1px solid var(--mat-sys-outline);
      border-radius: 4px;
      white-space: nowrap;
    }
    .key {
      color: inherit;
      background: none;
      cursor: pointer;
      min-width: 32px;
      min-height: 24px;
    }
  `,
})
export class ShortcutSheet {
  readonly shortcuts = inject(Shortcuts);
  readonly commands = Object.keys(COMMANDS) as Command[];
  /** Keys that mean the same everywhere. */
  readonly fixed = [
    ['Space', 'Play or stop'],
    ['J  K  L', 'Play backwards, stop, play forwards; again for 2, 4 and 8 times the speed'],
    ['← →', 'One frame back or forward; with Shift, one second'],
    ['Home  End', 'First and last frame'],
    ['↑ ↓', 'Previous or next cut'],
    ['I  O', 'Set the in or out point at the playhead; playback runs between them'],
    ['Delete', 'Delete the selected clips, or the clip at the playhead; with Shift, ripple delete'],
    ['Alt ← →', 'Move the selected clips by a frame, with Shift by a second; Alt ↑ ↓ to another track'],
    ['Ctrl C  X  V', 'Copy, cut, and paste at the playhead (overwrite); Shift Ctrl V pastes and inserts'],
    ['Ctrl A', 'Select all clips; with Shift, all picture clips. Escape clears the selection'],
    ['Ctrl Z  Y', 'Undo, redo'],
    ['?', 'Keyboard shortcuts'],
  ] as const;
  /** The command whose key is pressed next. */
  readonly listening = signal<Command | null>(null);
  /** Why the last key was not taken. */
  readonly problem = signal('');

  nameOf(command: Command): string {
    return COMMANDS[command].name;
  }

  listen(command: Command | null): void {
    this.listening.set(command);
    if (command !== null) this.problem.set('');
  }

  take(event: KeyboardEvent): void {
    const command = this.listening();
    if (command === null || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Tab' || event.key === 'Shift') return;
    event.preventDefault();
    event.stopPropagation();
    this.listening.set(null);
    if (event.key === 'Escape') return;
    const refused = this.shortcuts.assign(command, event.key);
    if (!refused) return;
    const key = event.key === ' ' ? 'Space' : keyLabel(event.key);
    this.problem.set(
      refused.by === undefined
        ? `${key} cannot be changed to mean something else. Press another key.`
        : `${key} is the key of “${this.nameOf(refused.by)}”. Change that one first, or press another key.`,
    );
  }

  restore(): void {
    this.shortcuts.restore();
    this.problem.set('');
  }
}
