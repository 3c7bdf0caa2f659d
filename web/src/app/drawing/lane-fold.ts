import { Injectable, signal } from '@angular/core';

const OPENED = 'hone.lanes';

/** Whether each stage has a lane of its own: on all pages alike, and kept in this browser. */
@Injectable({ providedIn: 'root' })
export class LaneFold {
  private readonly open = signal(localStorage.getItem(OPENED) === 'yes');
  readonly isOpen = this.open.asReadonly();

  turn(): void {
    this.open.update((open) => !open);
    localStorage.setItem(OPENED, this.open() ? 'yes' : 'no');
  }
}
