import type { ActionReducerMap } from '@ngrx/store';
import { editingFeature, type EditingState } from './editing.feature';
import { machineFeature, type MachineState } from './machine.feature';
import { mediaFeature, type MediaState } from './media.feature';
import { playbackFeature, type PlaybackState } from './playback.feature';
import { projectFeature, type ProjectState } from './project.feature';
import { sourcesPageFeature, type SourcesPageState } from './sources-page.feature';

interface AppState {
  readonly project: ProjectState;
  readonly media: MediaState;
  readonly playback: PlaybackState;
  readonly machine: MachineState;
  readonly sourcesPage: SourcesPageState;
  readonly editing: EditingState;
}

export const features: ActionReducerMap<AppState> = {
  project: projectFeature.reducer,
  media: mediaFeature.reducer,
  playback: playbackFeature.reducer,
  machine: machineFeature.reducer,
  sourcesPage: sourcesPageFeature.reducer,
  editing: editingFeature.reducer,
};
