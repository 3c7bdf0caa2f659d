import type { Routes } from '@angular/router';
import { WorkPage } from './work/work-page';

export const routes: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'work' },
  { path: 'work', component: WorkPage, title: 'Work · Hone' },
  {
    path: 'projects',
    loadComponent: () => import('./projects/project-list').then((module) => module.ProjectList),
    title: 'Projects · Hone',
  },
  {
    path: 'sources',
    loadComponent: () => import('./sources/sources-page').then((module) => module.SourcesPage),
    title: 'Sources · Hone',
  },
  {
    path: 'rig',
    loadComponent: () => import('./rig/rig-page').then((module) => module.RigPage),
    title: 'Rig · Hone',
  },
  {
    path: 'runs',
    loadComponent: () => import('./runs/runs-page').then((module) => module.RunsPage),
    title: 'Runs · Hone',
  },
  {
    path: 'export',
    loadComponent: () => import('./exports/export-page').then((module) => module.ExportPage),
    title: 'Export · Hone',
  },
  { path: '**', redirectTo: 'work' },
];
