import { afterNextRender, Component, computed, ElementRef, inject, signal } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatMenuModule } from '@angular/material/menu';
import { MatSelectModule } from '@angular/material/select';
import { MatSliderModule } from '@angular/material/slider';
import { Store } from '@ngrx/store';
import type { KeptTable } from '@hone/core/api';
import { relist } from '@hone/core/levers';
import {
  bypassedOf,
  canBypass,
  definitionOf,
  effectKey,
  EFFECT_KINDS,
  executionOrder,
  isEffectKind,
  numberAt,
  textOf,
  usualPlace,
  type EffectKind,
  type KnownEffect,
  type Parameter,
} from '@hone/core/render';
import {
  addEffects,
  enableEffect,
  orderEffects,
  removeEffect,
  removeKeyframe,
  replaceEffects,
  setEffectValue,
  setFades,
  setFraming,
  setKeyframe,
  type Clip,
  type Ease,
  type Effect,
  type EffectValue,
  type Fades,
  type Framing,
  type Keyframe,
  type TrackKind,
} from '@hone/core/timeline';
import { Api, sentenceOf } from '../api/api';
import { EditActions, ProjectActions } from '../state/actions';
import { editingFeature } from '../state/editing.feature';
import { playbackFeature } from '../state/playback.feature';
import { ReleasesFocus } from '../work/releases-focus';
import { Levers } from '../playback/levers';
import { TimelineEditor } from '../work/timeline-editor';
import { count } from '../formatting/quantities';
import { EASE_NAMES, KIND_HINTS } from './effect-words';

/** A parameter of an effect as it is shown. */
interface ParameterRow {
  readonly key: string;
  readonly parameter: Parameter;
  readonly number: number;
  readonly text: string;
  /** Keyframes; empty for a constant. */
  readonly row: readonly Keyframe[];
  /** The keyframe at the playhead. */
  readonly here: Keyframe | undefined;
}

interface EffectRow {
  readonly effect: KnownEffect;
  readonly name: string;
  readonly hint: string;
  readonly canBypass: boolean;
  /** Whether it is left out while it plays. */
  readonly isBypassed: boolean;
  readonly parameters: readonly ParameterRow[];
}

const newId = (): string => crypto.randomUUID();

/** The effects of the chosen clip, in the order in which they are done. */
@Component({
  selector: 'hone-effect-panel',
  imports: [MatCheckboxModule, MatMenuModule, MatSelectModule, MatSliderModule, ReleasesFocus],
  templateUrl: './effect-panel.html',
  styleUrl: './effect-panel.scss',
})
export class EffectPanel {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly store = inject(Store);
  private readonly editor = inject(TimelineEditor);
  private readonly api = inject(Api);
  private readonly levers = inject(Levers);
  private readonly frame = this.store.selectSignal(playbackFeature.selectFrame);
  private readonly copied = this.store.selectSignal(editingFeature.selectCopiedEffects);
  readonly orderReason = 'Temporal noise reduction works on the frames of the file, so it comes first.';
  readonly easeNames = Object.entries(EASE_NAMES) as [Ease, string][];
  readonly tables = signal<readonly KeptTable[]>([]);
  /** Effects that are folded away. */
  readonly folded = signal<ReadonlySet<string>>(new Set());

  private readonly pictures = computed(() => this.chosenOf('picture'));
  readonly fades = [
    { end: 'in', name: 'Fade in' },
    { end: 'out', name: 'Fade out' },
  ] as const;
  private readonly sounds = computed(() => this.chosenOf('sound'));
  /** The sound clip whose fades are shown. */
  readonly sound = computed(() => this.sounds()[0] ?? null);
  private readonly ids = computed((): ReadonlySet<string> => new Set(this.pictures().map(({ id }) => id)));
  /** The clip whose effects are shown: the first of those that are chosen. */
  readonly clip = computed(() => this.pictures()[0] ?? null);
  readonly others = computed(() => Math.max(0, this.pictures().length - 1));
  readonly framing = computed((): Framing => this.clip()?.framing ?? 'fit');
  readonly canPaste = computed(() => this.copied().length > 0);
  readonly pasteText = computed(() => `Paste ${count(this.copied().length, 'effect', 'effects')}`);
  /** Frame of the clip at the playhead, within it. */
  private readonly at = computed(() => {
    const clip = this.clip();
    return clip ? Math.max(0, Math.min(clip.length - 1, this.frame() - clip.start)) : 0;
  });
  private readonly bypassed = computed((): ReadonlySet<Effect> => {
    const [clip, tuning] = [this.clip(), this.levers.tuning()];
    return new Set(clip && tuning ? bypassedOf(clip, tuning) : []);
  });
  readonly isClipBypassed = computed(() => {
    const bypassed = this.levers.tuning()?.bypassedClips ?? [];
    return bypassed.includes(this.clip()?.id ?? '');
  });
  readonly hasBypass = computed(() => (this.clip()?.effects ?? []).some(canBypass));
  readonly rows = computed((): readonly EffectRow[] =>
    executionOrder(this.clip()?.effects ?? [])
      .filter((effect): effect is KnownEffect => isEffectKind(effect.kind))
      .map((effect) => this.rowOf(effect, this.at())),
  );
  readonly kinds = computed(() => {
    const hasTransform = this.rows().some(({ effect }) => effect.kind === 'transform');
    return EFFECT_KINDS.map((kind) => ({
      kind,
      name: definitionOf(kind).name,
      // A picture has one position.
      isThere: kind === 'transform' && hasTransform,
    }));
  });

  constructor() {
    // The column may be scrolled down to a finding; the effects must be visible.
    afterNextRender(() => this.host.nativeElement.scrollIntoView({ block: 'start' }));
    void this.api.tables().then(
      (tables) => this.tables.set(tables),
      () => undefined,
    );
  }

  private chosenOf(wanted: TrackKind): readonly Clip[] {
    const ids = this.editor.ids();
    return (this.editor.timeline()?.tracks ?? []).flatMap(({ kind, clips }) =>
      kind === wanted ? clips.filter(({ id }) => ids.has(id)) : [],
    );
  }

  setFade(end: keyof Fades, event: Event): void {
    const frames = (event.target as HTMLInputElement).valueAsNumber;
    if (!Number.isFinite(frames)) return;
    const before = this.sound()?.fades ?? { in: 0, out: 0 };
    const ids = new Set(this.sounds().map(({ id }) => id));
    this.editor.apply((timeline) => setFades(timeline, ids, { ...before, [end]: frames }));
  }

  private rowOf(effect: KnownEffect, at: number): EffectRow {
    const { name, parameters } = definitionOf(effect.kind);
    return {
      effect,
      name,
      hint: KIND_HINTS[effect.kind] ?? '',
      canBypass: canBypass(effect),
      isBypassed: this.bypassed().has(effect),
      parameters: Object.entries(parameters).map(([key, parameter]) => {
        const row = effect.keyframes?.[key] ?? [];
        const isNumber = parameter.kind === 'number';
        return {
          key,
          parameter,
          number: isNumber ? Math.round(1000 * numberAt(effect, key, at)) / 1000 : 0,
          text: isNumber ? '' : textOf(effect, key),
          row,
          here: row.find(({ frame }) => frame === at),
        };
      }),
    };
  }

  /** Bypasses all effects of the chosen clips while playing, or none of them. */
  bypassClip(isBypassed: boolean): void {
    const { bypassedClips } = this.levers.tuning() ?? {};
    this.levers.move({ bypassedClips: relist(bypassedClips, this.ids(), isBypassed) });
  }

  bypass({ effect, isBypassed }: EffectRow): void {
    const { bypassedEffects } = this.levers.tuning() ?? {};
    const key = effectKey(this.clip()!.id, effect.id);
    this.levers.move({ bypassedEffects: relist(bypassedEffects, [key], !isBypassed) });
  }

  private place({ effect }: EffectRow): { clipId: string; effectId: string } {
    return { clipId: this.clip()!.id, effectId: effect.id };
  }

  add(kind: EffectKind): void {
    const effect: Omit<Effect, 'id'> = { kind, enabled: true, values: {} };
    this.editor.apply((timeline) =>
      addEffects(timeline, this.ids(), [effect], newId, (before) => usualPlace(before, kind)),
    );
  }

  remove(row: EffectRow): void {
    this.editor.apply((timeline) => removeEffect(timeline, this.place(row)));
  }

  enable(row: EffectRow, enabled: boolean): void {
    this.editor.apply((timeline) => enableEffect(timeline, this.place(row), enabled));
  }

  /** Whether an effect can change places with the one before or behind it: nothing goes before noise reduction. */
  canMove(index: number, by: 1 | -1): boolean {
    const [row, other] = [this.rows()[index], this.rows()[index + by]];
    return !!row && !!other && (row.effect.kind === 'denoise') === (other.effect.kind === 'denoise');
  }

  /** Why an effect cannot change places; empty where it can, and at the ends of the list. */
  moveReason(index: number, by: 1 | -1): string {
    return this.canMove(index, by) || !this.rows()[index + by] ? '' : this.orderReason;
  }

  move(index: number, by: 1 | -1): void {
    const clipId = this.clip()?.id;
    if (clipId === undefined || !this.canMove(index, by)) return;
    const ids = this.rows().map(({ effect }) => effect.id);
    [ids[index], ids[index + by]] = [ids[index + by]!, ids[index]!];
    this.editor.apply((timeline) => orderEffects(timeline, clipId, ids));
  }

  setNumber(row: EffectRow, { key, parameter }: ParameterRow, event: Event): void {
    const field = event.target as HTMLInputElement;
    if (parameter.kind !== 'number' || !Number.isFinite(field.valueAsNumber)) return;
    this.set(row, key, Math.min(parameter.most, Math.max(parameter.least, field.valueAsNumber)));
  }

  setText(row: EffectRow, key: string, value: string): void {
    this.set(row, key, value);
  }

  /** Whether a field of the browser's own holds it, which a label can name. */
  isNative({ parameter: { kind } }: ParameterRow): boolean {
    return kind !== 'choice' && kind !== 'table';
  }

  private set(row: EffectRow, key: string, value: EffectValue): void {
    this.editor.apply((timeline) => setEffectValue(timeline, this.place(row), key, value, this.at()));
  }

  /** Keeps the value at the playhead, or takes the keyframe that is there away. */
  turnKeyframe(row: EffectRow, { key, number, here }: ParameterRow): void {
    const frame = this.at();
    this.editor.apply((timeline) =>
      here
        ? removeKeyframe(timeline, this.place(row), key, frame)
        : setKeyframe(timeline, this.place(row), key, { frame, value: number, ease: 'linear' }),
    );
  }

  setEase(row: EffectRow, { key, here }: ParameterRow, ease: Ease): void {
    if (here) this.editor.apply((timeline) => setKeyframe(timeline, this.place(row), key, { ...here, ease }));
  }

  async loadTable(row: EffectRow, key: string, event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    try {
      const kept = await this.api.keepTable(await file.text());
      this.tables.update((tables) => [...tables.filter(({ id }) => id !== kept.id), kept]);
      this.set(row, key, kept.id);
    } catch (error) {
      const message = `"${file.name}" was not loaded. ${sentenceOf(error)}`;
      this.store.dispatch(ProjectActions.failed({ message }));
    }
  }

  /** What a list offers: the choices of a parameter, or the colour tables that were kept. */
  optionsOf(parameter: Parameter): readonly { value: string; name: string }[] {
    if (parameter.kind === 'choice') return parameter.choices.map((value) => ({ value, name: value }));
    return [
      { value: '', name: 'none yet' },
      ...this.tables().map((table) => ({ value: table.id, name: tableName(table) })),
    ];
  }

  setFraming(framing: Framing): void {
    this.editor.apply((timeline) => setFraming(timeline, this.ids(), framing));
  }

  copy(): void {
    this.store.dispatch(EditActions.effectsCopied({ effects: this.clip()?.effects ?? [] }));
  }

  paste(): void {
    this.editor.apply((timeline) => replaceEffects(timeline, this.ids(), this.copied(), newId));
  }

  fold(id: string): void {
    const folded = new Set(this.folded());
    if (!folded.delete(id)) folded.add(id);
    this.folded.set(folded);
  }

  keyframeText({ row }: ParameterRow): string {
    return row.length ? count(row.length, 'keyframe', 'keyframes') : '';
  }
}

const tableName = ({ title, kind, size }: KeptTable): string =>
  `${title || 'without a title'} (${kind}, ${size} steps)`;
