import { figureOf, type Figure, type Rig } from '@hone/core/machine';

/** How pictures were decoded, now. */
export const flatOut = (disturbed: boolean): Pick<Figure, 'method' | 'measuredAt' | 'disturbed'> => ({
  method: 'decoded flat out',
  measuredAt: new Date().toISOString(),
  disturbed,
});

/** A figure of repetitions that were measured now. */
export const figure = (values: readonly number[], method: string, disturbed: boolean): Figure =>
  figureOf(values, { method, measuredAt: new Date().toISOString(), disturbed });

/** A figure for a megapixel, of repetitions with some. */
export const perMegapixel = (
  ms: readonly number[],
  megapixels: number,
  method: string,
  disturbed: boolean,
): Figure =>
  figure(
    ms.map((each) => each / megapixels),
    method,
    disturbed,
  );

/** A rig of this machine before anything of it was measured. */
export const emptyRig = (thorough: boolean): Rig => ({
  version: 1,
  id: 'own',
  name: 'This machine',
  simulated: false,
  note: '',
  thoroughness: thorough ? 'thorough' : 'quick',
  measuredAt: new Date().toISOString(),
  machine: {
    model: '',
    cores: navigator.hardwareConcurrency,
    memoryBytes: 0,
    freeMemoryBytes: 0,
    power: 'unknown',
    clockMhz: null,
    temperatureC: null,
    loadByOthers: 0,
  },
  browser: navigator.userAgent,
  graphics: { renderer: '', software: true, stronger: null, displayHz: null },
  oneCoreFps: null,
  allCoresFps: null,
  drives: [],
  decoders: [],
  kernels: [],
  shows: [],
  hardwarePaths: [],
});
