import type { Condition } from '@hone/core/media';
import { createFeature, createReducer, on } from '@ngrx/store';
import { ProjectActions, ServerActions, SourcesActions, type SourceOrder, type SourcesView } from './actions';

export interface SourcesPageState {
  readonly view: SourcesView;
  readonly conditions: readonly Condition[];
  readonly order: SourceOrder;
  /** Columns of the table besides the name, in order. */
  readonly columns: readonly string[];
  readonly selected: readonly string[];
  /** The source whose details are shown. */
  readonly openId: string | null;
}

const COLUMNS_KEY = 'hone.sourceColumns';
const USUAL_COLUMNS = ['size', 'rate', 'codec', 'structure', 'bitRate', 'peak', 'duration', 'copy'];

// Which columns someone likes is a habit of theirs, not a part of a project.
function keptColumns(): readonly string[] {
  // Tests run without a browser.
  if (!('localStorage' in globalThis)) return USUAL_COLUMNS;
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(COLUMNS_KEY) ?? 'null');
    return Array.isArray(kept) ? kept.filter((column) => typeof column === 'string') : USUAL_COLUMNS;
  } catch {
    return USUAL_COLUMNS;
  }
}

const usual: SourcesPageState = {
  view: 'table',
  conditions: [],
  order: { column: 'name', descending: false },
  columns: keptColumns(),
  selected: [],
  openId: null,
};

export const sourcesPageFeature = createFeature({
  name: 'sourcesPage',
  reducer: createReducer<SourcesPageState>(
    usual,
    on(ProjectActions.opened, (state) => ({ ...state, conditions: [], selected: [], openId: null })),
    on(SourcesActions.viewChosen, (state, { view }) => ({ ...state, view })),
    on(SourcesActions.conditionsChanged, (state, { conditions }) => ({ ...state, conditions })),
    on(SourcesActions.orderChosen, (state, { order }) => ({ ...state, order })),
    on(SourcesActions.columnsChosen, (state, { columns }) => ({ ...state, columns })),
    on(SourcesActions.selectionChanged, (state, { selected }) => ({ ...state, selected })),
    on(SourcesActions.sourceOpened, (state, { sourceId }) => ({ ...state, openId: sourceId })),
    on(ServerActions.sourceGone, (state, { sourceId }) => ({
      ...state,
      selected: state.selected.filter((id) => id !== sourceId),
      openId: state.openId === sourceId ? null : state.openId,
    })),
  ),
});

export const keepColumns = (columns: readonly string[]): void =>
  localStorage.setItem(COLUMNS_KEY, JSON.stringify(columns));
