import { Component, computed, effect, inject, input, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { decoderSamples, type Rig } from '@hone/core/machine';
import { MOST_LAYERS, type Capability } from '@hone/core/simulation';
import { toNumber } from '@hone/core/time';
import { sentenceOf } from '../api/api';
import { codecName } from '../formatting/codec-words';
import { framesPerSecond, perCent, pixels, rateText } from '../formatting/quantities';
import { STAGE_NAMES } from '../formatting/stage-words';
import { Predictions } from '../prediction/predictions';
import { selectProject, selectSources } from '../state/selectors';
import { StageBars } from '../work/stage-bars';

/** Full width of a bar, in multiples of the rate of the timeline. */
const FULL = 3;

const NUMBERS = ['no', 'one', 'two', 'three', 'four'];

/** Which sources a rig plays, how fast, in how many layers, and the six stages of the selected one. */
@Component({
  selector: 'hone-rig-capability',
  imports: [StageBars],
  templateUrl: './rig-capability.html',
  styleUrl: './rig-capability.scss',
})
export class RigCapability {
  readonly rig = input.required<Rig>();
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly allSources = this.store.selectSignal(selectSources);
  private readonly sources = computed(() => decoderSamples(this.allSources()));
  private readonly chosenId = signal<string | null>(null);
  /** Of the rig, the sources and the levers of now; null until they are predicted. */
  private readonly capabilities = signal<readonly Capability[] | null>(null);
  readonly problem = signal<string | null>(null);
  readonly title = computed(() => `What ${this.rig().id === 'own' ? 'this' : 'that'} machine plays`);
  readonly hasSources = computed(() => this.sources().length > 0);

  readonly rows = computed(() => {
    const project = this.project();
    const capabilities = this.capabilities();
    if (!project || !capabilities) return null;
    const rate = toNumber(project.timeline.rate);
    return capabilities.flatMap((capability) => {
      const source = this.sources().find(({ id }) => id === capability.sourceId);
      if (!source) return [];
      const { size, codec, rate: own } = source.facts!.picture!;
      return {
        ...capability,
        name: source.name,
        kind: `${pixels(size)} · ${codecName(codec)} · ${rateText(own)}`,
        width: Math.min(100, (100 * capability.framesPerSecond) / (FULL * rate)),
        speed: speedText(capability),
        plays: layersText(capability),
        limitText: limitText(capability, rate),
      };
    });
  });
  readonly chosen = computed(
    () => this.rows()?.find(({ sourceId }) => sourceId === this.chosenId()) ?? this.rows()?.[0] ?? null,
  );
  readonly setting = computed(() => {
    const project = this.project();
    if (!project) return '';
    const rate = rateText(project.timeline.rate);
    return `Predicted for preview scale 1:${project.tuning.playScale} from originals, without effects. The line is the ${rate} of the timeline.`;
  });
  readonly lineAt = 100 / FULL;

  constructor() {
    effect((onCleanup) => {
      const project = this.project();
      const [rig, sources] = [this.rig(), this.sources()];
      this.capabilities.set(null);
      this.problem.set(null);
      if (!project) return;
      let isOver = false;
      onCleanup(() => (isOver = true));
      const { tuning, timeline } = project;
      this.predictions
        .capabilities({ rig, sources, tuning, shape: { rate: timeline.rate, size: timeline.size } })
        .then(
          (found) => {
            if (!isOver) this.capabilities.set(found);
          },
          (error: unknown) => {
            if (!isOver) this.problem.set(sentenceOf(error));
          },
        );
    });
  }

  choose(id: string): void {
    this.chosenId.set(id);
  }
}

/** Whether it plays, and up to how many layers: the first number of layers that does not play, or the most tried. */
function layersText({ droppedShare, layers }: Capability): string {
  if (layers === 0) return `does not play: ${perCent(droppedShare)} dropped`;
  return layers === MOST_LAYERS
    ? `plays; ${NUMBERS[layers]} layers: yes`
    : `plays; ${NUMBERS[layers + 1]} layers: no`;
}

/** What limits a source, and why it does not play although its mean frame rate is high enough. */
function limitText(capability: Capability, rate: number): string | null {
  const { limiting, layers, framesPerSecond: mean } = capability;
  if (!limiting) return null;
  const most = `${STAGE_NAMES[limiting]} takes most: at most ${speedText(capability)}`;
  return layers === 0 && mean >= rate
    ? `${most} on average. Frames, and moments of the machine, differ: ${perCent(capability.droppedShare)} of the frames are expected to be dropped.`
    : `${most}.`;
}

const speedText = ({ isEstimated, framesPerSecond: mean }: Capability): string =>
  `${isEstimated ? 'about ' : ''}${framesPerSecond(mean)}`;
