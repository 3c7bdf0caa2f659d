import { Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { codecName } from '../formatting/codec-words';
import {
  LOWEST_CEILING,
  memoryShares,
  SIMULATED_DRIVES,
  SIMULATED_RIGS,
  simulatedDrive,
} from '@hone/core/machine';
import { RigActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { selectBusyJobs, selectStaleReasons } from '../state/selectors';
import { bytes, count, wait } from '../formatting/quantities';
import { figureRows, machineLines } from '../formatting/rig-words';
import { rateText } from '../formatting/ffmpeg-words';
import { FfmpegChoiceBoard } from './ffmpeg-choice';
import { RigCapability } from './rig-capability';

/** Bytes of a gigabyte, as on all pages (IEC 80000-13). */
const GB = 1e9;

/** Page of the rig: capacity of each stage, every figure with its origin, and simulated parts. */
@Component({
  selector: 'hone-rig-page',
  imports: [
    FfmpegChoiceBoard,
    MatButtonModule,
    MatExpansionModule,
    MatFormFieldModule,
    MatProgressBarModule,
    MatSelectModule,
    RigCapability,
  ],
  templateUrl: './rig-page.html',
  styleUrl: './rig-page.scss',
})
export class RigPage {
  readonly codecName = codecName;
  readonly rateText = rateText;
  private readonly store = inject(Store);
  private readonly state = this.store.selectSignal(machineFeature.selectMachineState);
  readonly measuring = this.store.selectSignal(machineFeature.selectMeasuring);
  private readonly busy = this.store.selectSignal(selectBusyJobs);
  /** What would disturb a measurement that begins now. */
  readonly busyText = computed(() => {
    const running = this.busy().find(({ state }) => state === 'running');
    if (!running || this.measuring()) return null;
    return `In progress: ${running.title}. Figures that are measured beside background work are marked as disturbed; measure when it is done.`;
  });
  readonly problem = this.store.selectSignal(machineFeature.selectProblem);
  readonly driveId = this.store.selectSignal(machineFeature.selectDriveId);
  readonly simulatedDrives = SIMULATED_DRIVES;
  readonly rigs = computed(() => [...this.state().loaded, ...SIMULATED_RIGS]);
  readonly isKnown = computed(() => this.state().known);
  readonly chosenId = computed(() => this.state().chosenId ?? 'own');
  readonly rig = computed(() => {
    const { own, chosenId } = this.state();
    return chosenId === null ? own : (this.rigs().find(({ id }) => id === chosenId) ?? own);
  });
  readonly isLoaded = computed(() => this.state().loaded.some(({ id }) => id === this.chosenId()));
  readonly lines = computed(() => {
    const rig = this.rig();
    return rig ? machineLines(rig) : [];
  });
  readonly rows = computed(() => {
    const rig = this.rig();
    return rig ? figureRows(rig) : [];
  });
  readonly about = computed(() => {
    const rig = this.rig();
    if (!rig) return '';
    if (rig.simulated) return rig.note || 'A rig that was loaded from a file.';
    const how = rig.thoroughness === 'thorough' ? 'Measured thoroughly' : 'Measured quickly';
    const disturbed = this.rows().filter(({ isDisturbed }) => isDisturbed).length;
    const note = disturbed
      ? ` Other programs, or jobs of Hone, disturbed ${count(disturbed, 'figure', 'figures')}; measure again when it is quiet.`
      : '';
    return `${how}, ${new Date(rig.measuredAt).toLocaleString('en-GB')}.${note}`;
  });
  private readonly staleReasons = this.store.selectSignal(selectStaleReasons);
  readonly stale = computed(() => {
    const reasons = this.chosenId() === 'own' ? this.staleReasons() : [];
    return reasons.length ? `These figures are of ${reasons.join(' and ')}. Measure again.` : null;
  });
  readonly progress = computed(() => {
    const measuring = this.measuring();
    return measuring && `Measuring ${measuring.what} · ${wait(measuring.secondsLeft)} left`;
  });

  readonly figuresTitle = computed(
    () => `All ${count(this.rows().length, 'figure', 'figures')} with spread, method and date`,
  );
  readonly pathsTitle = computed(() => {
    const paths = this.rig()?.hardwarePaths ?? [];
    const working = paths.filter(({ works }) => works).length;
    return `Hardware paths of ffmpeg, each tried with real frames: ${working} of ${paths.length} work`;
  });

  readonly hasWorkingPath = computed(() => (this.rig()?.hardwarePaths ?? []).some(({ works }) => works));

  readonly drive = computed(() => simulatedDrive(this.driveId()));
  readonly driveText = computed(() => {
    const drive = this.drive();
    if (!drive) return 'Media and light copies are read as fast as their drives give them.';
    return `${drive.note} ${bytes(drive.readBytesPerSecond)}/s, ${drive.seekMs} ms to go elsewhere. Playback really waits for it; exports never do.`;
  });

  readonly settings = computed(() => this.state().settings);
  readonly ceilingGb = computed(() => {
    const settings = this.settings();
    return settings ? Math.round((10 * settings.memoryCeilingBytes) / GB) / 10 : 0;
  });
  readonly mostGb = computed(() => Math.floor((10 * (this.settings()?.memoryBytes ?? 0)) / GB) / 10);
  readonly memoryText = computed(() => bytes(this.settings()?.memoryBytes ?? 0));
  readonly leastGb = Math.ceil((10 * LOWEST_CEILING) / GB) / 10;
  readonly shareText = computed(() => {
    const settings = this.settings();
    if (!settings) return '';
    const shares = memoryShares(settings.memoryCeilingBytes, navigator.hardwareConcurrency);
    return `${count(shares.decodeWorkers, 'decode worker', 'decode workers')}, ${bytes(shares.framePoolBytes)} of waiting pictures, ${bytes(shares.keptPictureBytes)} of pictures kept for the next run, ${bytes(shares.readAheadBytes)} read ahead for each, ${count(shares.ffmpegThreads, 'thread', 'threads')} for each ffmpeg. The player takes a new ceiling when the page Work is opened again.`;
  });

  choose(rigId: string): void {
    this.store.dispatch(RigActions.rigChosen({ rigId }));
  }

  measure(thorough: boolean): void {
    this.store.dispatch(RigActions.rigChosen({ rigId: 'own' }));
    this.store.dispatch(RigActions.measurementAsked({ thorough }));
  }

  cancel(): void {
    this.store.dispatch(RigActions.measurementCancelled());
  }

  save(): void {
    const rig = this.rig();
    if (!rig) return;
    const address = URL.createObjectURL(
      new Blob([JSON.stringify(rig, null, 2)], { type: 'application/json' }),
    );
    const link = document.createElement('a');
    link.href = address;
    link.download = `rig ${rig.name.replace(/[^\p{L}\p{N}]+/gu, ' ').trim()}.json`;
    link.click();
    URL.revokeObjectURL(address);
  }

  load(event: Event): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    if (file) this.store.dispatch(RigActions.fileChosen({ file }));
    field.value = '';
  }

  remove(): void {
    this.store.dispatch(RigActions.rigRemoved({ rigId: this.chosenId() }));
  }

  simulate(driveId: string): void {
    this.store.dispatch(RigActions.driveChosen({ driveId: driveId || null }));
  }

  setCeiling(event: Event): void {
    const value = Number((event.target as HTMLInputElement).value);
    if (Number.isFinite(value))
      this.store.dispatch(
        RigActions.settingsChosen({ change: { memoryCeilingBytes: Math.round(value * GB) } }),
      );
  }

  /** PSNR, dB. */
  likenessText(likeness: number | undefined): string {
    return likeness === undefined ? '' : `${likeness.toFixed(1)} dB`;
  }
}
