import { inject, Injectable } from '@angular/core';
import type { ServerEvent } from '@hone/core/api';
import { Store } from '@ngrx/store';
import { lostHardwareText } from '../formatting/ffmpeg-words';
import { ProjectActions, ServerActions } from '../state/actions';

/** Dispatches the server's events as actions. After an interruption everything is loaded again. */
@Injectable({ providedIn: 'root' })
export class ServerEvents {
  private readonly store = inject(Store);
  private source: EventSource | undefined;

  listen(): void {
    if (this.source) return;
    this.source = new EventSource('/api/events');
    let wasLost = false;
    this.source.onopen = () => {
      this.store.dispatch(ServerActions.connectionFound({ again: wasLost }));
      wasLost = false;
    };
    this.source.onerror = () => {
      if (!wasLost) this.store.dispatch(ServerActions.connectionLost());
      wasLost = true;
    };
    this.source.onmessage = (message: MessageEvent<string>) =>
      this.tell(JSON.parse(message.data) as ServerEvent);
  }

  private tell(event: ServerEvent): void {
    switch (event.kind) {
      case 'job':
        return this.store.dispatch(ServerActions.jobChanged({ job: event.job }));
      case 'source':
        return this.store.dispatch(ServerActions.sourceChanged({ source: event.source }));
      case 'sourceGone':
        return this.store.dispatch(ServerActions.sourceGone({ sourceId: event.sourceId }));
      case 'simulation':
        return this.store.dispatch(ServerActions.simulationChanged({ simulation: event.simulation }));
      case 'hardwareLost':
        this.store.dispatch(ServerActions.hardwareLost({ reason: event.reason }));
        return this.store.dispatch(ProjectActions.told({ message: lostHardwareText(event.reason) }));
      case 'copy':
        return this.store.dispatch(ServerActions.copyChanged({ copy: event.copy }));
      case 'copyGone':
        return this.store.dispatch(ServerActions.copyGone({ copyId: event.copyId }));
      case 'cachedStretch':
        return this.store.dispatch(ServerActions.stretchCached({ stretch: event.stretch }));
      case 'cachedStretchGone':
        return this.store.dispatch(ServerActions.cachedStretchGone({ stretchId: event.stretchId }));
      case 'project':
        return this.store.dispatch(ServerActions.projectChanged({ project: event.project }));
      case 'projectGone':
        return this.store.dispatch(ProjectActions.gone({ projectId: event.projectId }));
      case 'export':
        return this.store.dispatch(ServerActions.exportChanged({ record: event.record }));
    }
  }
}
