import { inject, Injectable } from '@angular/core';
import { Api } from '../api/api';

/** The server holds its background work for three seconds each time. */
const RENEW_MS = 1500;

/** Holds fingerprints and other background work of the server while something is measured. */
@Injectable({ providedIn: 'root' })
export class BackgroundHold {
  private readonly api = inject(Api);

  /** Holds background work until `work` has ended, and up to three seconds longer: playback may go on with it. */
  async during<T>(work: () => Promise<T>): Promise<T> {
    // Without the hold, figures are marked as disturbed.
    const hold = (): Promise<void> => this.api.holdBackgroundWork().catch(() => undefined);
    const timer = setInterval(() => void hold(), RENEW_MS);
    try {
      await hold();
      return await work();
    } finally {
      clearInterval(timer);
    }
  }
}
