import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import { USUAL_MEGABITS, type Condition, type ConditionKind, type SourceFilter } from '@hone/core/media';
import { SourcesActions } from '../state/actions';
import { selectProject } from '../state/selectors';
import { sourcesPageFeature } from '../state/sources-page.feature';
import { conditionText } from '../formatting/source-words';

const OFFERED: readonly ConditionKind[] = [
  'larger',
  'longGop',
  'bitRate',
  'rate',
  'used',
  'noCopy',
  'drive',
  'interlaced',
  'server',
];

/** Conditions that combine, and sets of them that have a name. A condition is asked for, turned around, or left out. */
@Component({
  selector: 'hone-filter-bar',
  imports: [MatButtonModule, MatMenuModule],
  templateUrl: './filter-bar.html',
  styleUrl: './filter-bar.scss',
})
export class FilterBar {
  private readonly store = inject(Store);
  private readonly project = this.store.selectSignal(selectProject);
  readonly conditions = this.store.selectSignal(sourcesPageFeature.selectConditions);
  readonly saved = computed(() => this.project()?.filters ?? []);
  readonly megabits = signal(USUAL_MEGABITS);
  readonly text = computed(() => String(this.conditions().find(({ kind }) => kind === 'text')?.value ?? ''));
  readonly offered = computed(() =>
    OFFERED.map((kind) => {
      const condition = this.conditions().find((each) => each.kind === kind);
      const value = kind === 'bitRate' ? (condition?.value ?? this.megabits()) : null;
      return { kind, condition, text: conditionText({ kind, not: condition?.not ?? false, value }) };
    }),
  );

  /** Off, on, turned around, off. */
  turn(kind: ConditionKind, condition: Condition | undefined): void {
    const others = this.conditions().filter((each) => each.kind !== kind);
    const value = kind === 'bitRate' ? this.megabits() : null;
    if (!condition) this.set([...others, { kind, not: false, value }]);
    else this.set(condition.not ? others : [...others, { ...condition, not: true }]);
  }

  search(event: Event): void {
    const value = (event.target as HTMLInputElement).value.trim();
    const others = this.conditions().filter(({ kind }) => kind !== 'text');
    this.set(value ? [...others, { kind: 'text', not: false, value: value.slice(0, 200) }] : others);
  }

  setMegabits(event: Event): void {
    const value = Number((event.target as HTMLInputElement).value);
    if (!Number.isFinite(value) || value < 0) return;
    this.megabits.set(value);
    this.set(this.conditions().map((each) => (each.kind === 'bitRate' ? { ...each, value } : each)));
  }

  use({ conditions }: SourceFilter): void {
    this.set(conditions);
  }

  save(field: HTMLInputElement): void {
    const name = field.value.trim();
    if (!name || this.conditions().length === 0) return;
    const others = this.saved().filter((filter) => filter.name !== name);
    this.keep([...others, { name, conditions: [...this.conditions()] }]);
    field.value = '';
  }

  forget({ name }: SourceFilter): void {
    this.keep(this.saved().filter((filter) => filter.name !== name));
  }

  clear(): void {
    this.set([]);
  }

  private set(conditions: readonly Condition[]): void {
    this.store.dispatch(SourcesActions.conditionsChanged({ conditions: [...conditions] }));
  }

  private keep(filters: SourceFilter[]): void {
    this.store.dispatch(SourcesActions.filtersChanged({ filters }));
  }
}
