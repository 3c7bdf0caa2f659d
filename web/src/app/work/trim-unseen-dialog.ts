import { Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { sum } from 'd3-array';
import type { UnseenPart } from '@hone/core/render';
import { formatTimecode, timecodeFormatOf } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { count } from '../formatting/quantities';

/** Parts that nobody sees, and the timeline that they are of. */
export interface UnseenList {
  readonly timeline: Timeline;
  readonly parts: readonly UnseenPart[];
}

/** Lists what nobody sees before it is trimmed. Closes with true where it is to be. */
@Component({
  selector: 'hone-trim-unseen-dialog',
  imports: [MatButtonModule, MatDialogModule],
  template: `
    <h2 mat-dialog-title>{{ title }}</h2>
    <mat-dialog-content>
      @if (rows.length) {
        <p>
          Other clips cover these frames, alone or together, or the clip is transparent or outside the frame.
          Trimming changes no frame of the picture and no sound. Hone does not decode them either way; other
          programs may.
        </p>
        <table class="figures" data-testid="unseen-parts">
          <tr>
            <th scope="col">Track</th>
            <th scope="col">Clip</th>
            <th scope="col">From</th>
            <th scope="col">To</th>
            <th scope="col" class="number">Frames</th>
          </tr>
          @for (row of rows; track row.key) {
            <tr>
              <td>{{ row.track }}</td>
              <td>{{ row.clip }}</td>
              <td class="time">{{ row.from }}</td>
              <td class="time">{{ row.to }}</td>
              <td class="number">{{ row.frames }}</td>
            </tr>
          }
        </table>
      } @else {
        <p>Every enabled clip is seen in all of its frames, but for what a transition or grain needs.</p>
      }
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <button mat-button mat-dialog-close type="button">{{ rows.length ? 'Cancel' : 'Close' }}</button>
      @if (rows.length) {
        <button mat-flat-button type="button" data-testid="trim-unseen" (click)="dialog.close(true)">
          {{ actText }}
        </button>
      }
    </mat-dialog-actions>
  `,
  styles: `
    p {
      margin: 0 0 10px;
    }
    .time {
      white-space: nowrap;
      font-variant-numeric: tabular-nums;
    }
  `,
})
export class TrimUnseenDialog {
  readonly dialog = inject<MatDialogRef<TrimUnseenDialog, boolean>>(MatDialogRef);
  private readonly list = inject<UnseenList>(MAT_DIALOG_DATA);
  private readonly frames = sum(this.list.parts, ({ from, to }) => to - from);
  readonly title = this.list.parts.length
    ? `${count(this.frames, 'frame', 'frames')} that nobody sees`
    : 'Nothing to trim';
  readonly actText = `Trim ${count(this.list.parts.length, 'part', 'parts')}`;
  readonly rows = this.list.parts.map(({ clipId, clipName, trackName, from, to }) => ({
    ...{ key: `${clipId} ${from}`, track: trackName, clip: clipName, frames: to - from },
    from: this.timecode(from),
    to: this.timecode(to),
  }));

  private timecode(frame: number): string {
    const { timeline } = this.list;
    return formatTimecode(timeline.startFrame + frame, timecodeFormatOf(timeline.rate, timeline.dropFrame));
  }
}
