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
    ['Space', 'Play from the playhead, or stop'],
    ['J  K  L', 'Backwards, stop, forwards; J or L again for 2, 4 and 8 times the speed'],
    ['← →', 'One frame back or forward; with Shift, one second'],
    ['Home  End', 'First and last frame'],
    ['↑ ↓', 'To the cut before or after'],
    ['I  O', 'In and out point at the playhead: play runs between them'],
    ['U', 'Take both points away'],
    ['S', 'Split the chosen clips at the playhead; all tracks when none is chosen'],
    ['T', 'Crossfade at the cut nearest to the playhead'],
    [',  .', 'Trim the start or the end of the chosen clips to the playhead'],
    ['Delete', 'Take off the chosen clips, or the one at the playhead; with Shift, close the gap'],
    ['E', 'Turn the chosen clips off or on'],
    ['Alt ← →', 'Move the chosen clips by a frame, with Shift by a second; Alt ↑ ↓ to another track'],
    ['Ctrl C  X  V', 'Copy, cut and paste clips at the playhead; Shift Ctrl V pushes the rest along'],
    ['Ctrl A', 'Choose all clips; with Shift, all pictures. Escape chooses none'],
    ['M', 'Put a marker at the playhead'],
    ['F', 'Effects of the chosen clip'],
    ['N', 'Snapping on or off'],
    ['Z', 'Take the last edit back; with Shift, do it again'],
    ['C', 'Light copies on or off'],
    ['[  ]', 'Preview scale while playing: more or fewer pixels'],
    ['+  −  0', 'Timeline closer, wider, whole'],
    ['?', 'This sheet'],
  ] as const;
}
