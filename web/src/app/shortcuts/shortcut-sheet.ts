import { Component } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatDialogModule } from '@angular/material/dialog';

/** What the keys do, and what Hone's words mean. */
@Component({
  selector: 'hone-shortcut-sheet',
  imports: [MatButtonModule, MatDialogModule],
  template: `
    <h2 mat-dialog-title>Keys and words</h2>
    <mat-dialog-content>
      <table class="figures">
        @for (key of keys; track key[0]) {
          <tr>
            <td>
              <kbd>{{ key[0] }}</kbd>
            </td>
            <td>{{ key[1] }}</td>
          </tr>
        }
      </table>
      <p>
        <b>Light copy</b>: a cheaper version of one source, of the same shape; others say proxy or optimized
        media.
      </p>
      <p>
        <b>Preview scale</b>: the divisor between the working size and the pixels of the viewer; others say
        playback resolution.
      </p>
      <p><b>Frame budget</b>: the milliseconds that one frame may take, 1000 divided by the frame rate.</p>
      <p><b>Lever</b>: a setting of the preview. No lever ever reaches an export.</p>
    </mat-dialog-content>
    <mat-dialog-actions><button mat-button mat-dialog-close>Close</button></mat-dialog-actions>
  `,
  styles: `
    p {
      margin-top: 10px;
    }
    kbd {
      font: inherit;
      font-weight: 600;
      padding: 1px 7px;
      border: 1px solid var(--mat-sys-outline);
      border-radius: 4px;
    }
  `,
})
export class ShortcutSheet {
  readonly keys = [
    ['Space', 'Play or stop'],
    ['J  K  L', 'Play backwards, stop, play forwards; again for 2, 4 and 8 times the speed'],
    ['← →', 'One frame back or forward; with Shift, one second'],
    ['Home  End', 'First and last frame'],
    ['↑ ↓', 'Previous or next cut'],
    ['I  O', 'Set the in or out point at the playhead; playback runs between them'],
    ['U', 'Clear in and out'],
    ['H', 'Split the selected clips at the playhead; all tracks if none is selected'],
    ['X', 'Crossfade at the cut nearest to the playhead'],
    [',  .', 'Trim the start or the end of the selected clips to the playhead'],
    ['Delete', 'Delete the selected clips, or the clip at the playhead; with Shift, ripple delete'],
    ['Y', 'Disable or enable the selected clips'],
    ['Alt ← →', 'Move the selected clips by a frame, with Shift by a second; Alt ↑ ↓ to another track'],
    ['Ctrl C  X  V', 'Copy, cut, and paste at the playhead (overwrite); Shift Ctrl V pastes and inserts'],
    ['Ctrl A', 'Select all clips; with Shift, all picture clips. Escape clears the selection'],
    ['P', 'Add a marker at the playhead'],
    ['E', 'Effects of the selected clip'],
    ['G', 'Turn snapping on or off'],
    ['Ctrl Z  Y', 'Undo, redo'],
    ['C', 'Play from light copies or from originals'],
    ['[  ]', 'Raise or lower the preview scale while playing'],
    ['+  −  0', 'Zoom in, zoom out, show the whole timeline'],
    ['?', 'Keyboard shortcuts'],
  ] as const;
}
