import type { Palette } from './axis';

/** A palette whose colours are their names, for tests. */
export const NAMED_COLOURS: Palette = {
  ink: 'ink',
  quiet: 'quiet',
  line: 'line',
  low: 'low',
  high: 'high',
  surface: 'surface',
  accent: 'accent',
  chosen: 'chosen',
  stage: (name) => name,
};
