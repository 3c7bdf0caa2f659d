import { provideZonelessChangeDetection, type ApplicationConfig } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import { routes } from './app.routes';
import { features } from './state/features';
import { ExportEffects } from './state/export.effects';
import { ImportEffects } from './state/import.effects';
import { ProjectEffects } from './state/project.effects';
import { CopyEffects } from './state/copy.effects';
import { RenderCacheEffects } from './state/render-cache.effects';
import { RigEffects } from './state/rig.effects';
import { SourcesEffects } from './state/sources.effects';
import { RunEffects } from './state/run.effects';

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    provideStore(features),
    provideEffects(
      ProjectEffects,
      ImportEffects,
      CopyEffects,
      RenderCacheEffects,
      RunEffects,
      ExportEffects,
      SourcesEffects,
      RigEffects,
    ),
  ],
};
