import { Component, computed, inject } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { Store } from '@ngrx/store';
import { FFMPEG_CHOICES, type FfmpegChoice } from '@hone/core/machine';
import { RigActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { ffmpegNote, ffmpegReason, lostHardwareText, outdatedNote } from '../formatting/ffmpeg-words';

/** What ffmpeg decodes and encodes by for previews, copies and cached stretches. */
@Component({
  selector: 'hone-ffmpeg-choice',
  imports: [MatButtonToggleModule],
  templateUrl: './ffmpeg-choice.html',
  styleUrl: './ffmpeg-choice.scss',
})
export class FfmpegChoiceBoard {
  private readonly store = inject(Store);
  private readonly settings = this.store.selectSignal(machineFeature.selectSettings);
  private readonly own = this.store.selectSignal(machineFeature.selectOwn);
  private readonly paths = computed(() => this.own()?.hardwarePaths ?? []);
  readonly lostText = lostHardwareText;
  readonly choices = FFMPEG_CHOICES.map((value) => ({ value, name: NAMES[value] }));
  readonly chosen = computed(() => this.settings()?.ffmpegOn ?? 'automatic');
  readonly reason = computed(() => ffmpegReason(this.paths()));
  readonly worksNowhere = computed(
    () => !this.paths().some(({ works, framesPerSecond }) => works && framesPerSecond),
  );
  readonly lost = computed(() => this.settings()?.hardwareLost ?? null);
  readonly note = computed(() =>
    ffmpegNote(this.paths(), this.lost() === null ? this.chosen() : 'processor'),
  );

  readonly outdated = computed(() => {
    const own = this.own();
    return own && outdatedNote(own, this.chosen());
  });

  choose(ffmpegOn: FfmpegChoice): void {
    this.store.dispatch(RigActions.settingsChosen({ change: { ffmpegOn } }));
  }
}

const NAMES: Readonly<Record<FfmpegChoice, string>> = {
  automatic: 'Automatic',
  hardware: 'Hardware',
  processor: 'Processor',
};
