import type { CopiedClip, Effect } from '@hone/core/timeline';
import { createFeature, createReducer, on } from '@ngrx/store';
import { EditActions, ProjectActions } from './actions';

export interface EditingState {
  /** Clips that the next edit is about. */
  readonly chosenIds: readonly string[];
  readonly copied: readonly CopiedClip[];
  /** Whether dragged clips snap to ends of clips, markers and the playhead. */
  readonly snapping: boolean;
  /** Whether the effects of the chosen clip are seen. */
  readonly effectsOpen: boolean;
  readonly copiedEffects: readonly Effect[];
}

const idle: EditingState = {
  chosenIds: [],
  copied: [],
  snapping: true,
  effectsOpen: false,
  copiedEffects: [],
};

export const editingFeature = createFeature({
  name: 'editing',
  reducer: createReducer<EditingState>(
    idle,
    on(EditActions.clipsChosen, (state, { ids }) => ({ ...state, chosenIds: ids })),
    on(EditActions.clipsCopied, (state, { copied }) => ({ ...state, copied })),
    on(EditActions.snappingTurned, (state) => ({ ...state, snapping: !state.snapping })),
    on(EditActions.effectsTurned, (state) => ({ ...state, effectsOpen: !state.effectsOpen })),
    on(EditActions.effectsCopied, (state, { effects }) => ({ ...state, copiedEffects: effects })),
    on(ProjectActions.opened, ProjectActions.refused, (state) => ({ ...state, chosenIds: [] })),
  ),
});
