import type { EffectKernel } from './effect-kernels.js';
import type { DecodeFigures, Figure, Rig } from './rig.js';
import { SIMULATED_DRIVES, type SimulatedDrive } from './simulated-drives.js';

const GIB = 2 ** 30;
const GIVEN = {
  method: 'given, not measured',
  measuredAt: '2026-01-01T00:00:00Z',
  disturbed: false,
  times: 1,
};

const given = (value: number, spread = 0.12): Figure => ({
  value,
  low: value * (1 - spread),
  high: value * (1 + spread),
  ...GIVEN,
});

interface Sketch {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly cores: number;
  readonly memoryGib: number;
  readonly power: Rig['machine']['power'];
  /** Cost of pixels and decoding against the two-core machine on which the plain figures were measured. */
  readonly slowness: number;
  readonly renderer: string;
  readonly software: boolean;
  readonly stronger?: string;
  /** ms that a graphics processor takes to decode a frame of 3840 × 2160; undefined without hardware decoding. */
  readonly hardwareMs?: number;
  readonly driveId: string;
}

const SKETCHES: readonly Sketch[] = [
  {
    id: 'travel-laptop',
    name: 'Travel laptop, two cores',
    note: 'Years old, no hardware decoding, one portable drive, often on battery.',
    cores: 2,
    memoryGib: 8,
    power: 'battery',
    slowness: 1.3,
    renderer: 'software renderer',
    software: true,
    driveId: 'usb-rotating',
  },
  {
    id: 'office-machine',
    name: 'Office machine, four cores, integrated graphics',
    note: 'Decodes 8-bit 4:2:0 in its integrated graphics, the rest on its cores.',
    cores: 4,
    memoryGib: 16,
    power: 'mains',
    slowness: 0.6,
    renderer: 'integrated graphics',
    software: false,
    hardwareMs: 9,
    driveId: 'gigabit-share',
  },
  {
    id: 'thin-machine',
    name: 'Thin machine, hardware decoding, little memory',
    note: 'Decodes quickly, but 8 GB are shared with everything else.',
    cores: 4,
    memoryGib: 8,
    power: 'battery',
    slowness: 0.75,
    renderer: 'integrated graphics',
    software: false,
    hardwareMs: 7,
    driveId: 'fast-solid-state',
  },
  {
    id: 'tower',
    name: 'Tower with a separate graphics processor',
    note: 'The browser draws with the integrated graphics while the separate processor idles.',
    cores: 8,
    memoryGib: 32,
    power: 'mains',
    slowness: 0.4,
    renderer: 'integrated graphics',
    software: false,
    stronger: 'separate graphics processor',
    hardwareMs: 3.5,
    driveId: 'array-of-four',
  },
  {
    id: 'six-cores',
    name: 'Desktop, six cores, no hardware decoding',
    note: 'Many cores, but one decoder works through a long group of pictures alone.',
    cores: 6,
    memoryGib: 16,
    power: 'mains',
    slowness: 0.7,
    renderer: 'software renderer',
    software: true,
    driveId: 'usb-rotating-full',
  },
];

/** ms a megapixel and ms a megabit of software decoding, from measurements on two cores (see check-values: 41 to 45 frames/s at 3840 × 2160). */
const SOFTWARE: Readonly<Record<string, { mp: number; mbit: number }>> = {
  h264: { mp: 1.7, mbit: 4 },
  hevc: { mp: 2.9, mbit: 5 },
  vp9: { mp: 2.2, mbit: 3.5 },
  av1: { mp: 2.6, mbit: 4 },
};
const SIZES = [
  { width: 3840, height: 2160, bitsPerFrame: 2.5e6 },
  { width: 1920, height: 1080, bitsPerFrame: 0.7e6 },
  { width: 960, height: 540, bitsPerFrame: 0.5e6 },
];

function decodersOf({ slowness, hardwareMs }: Sketch): DecodeFigures[] {
  const rows: DecodeFigures[] = [];
  for (const [codec, cost] of Object.entries(SOFTWARE)) {
    for (const size of SIZES) {
      const megapixels = (size.width * size.height) / 1e6;
      const software = slowness * (cost.mp * megapixels + (cost.mbit * size.bitsPerFrame) / 1e6);
      const hardware = hardwareMs === undefined ? undefined : 0.8 + (hardwareMs * megapixels) / 8.3;
      const common = { codec, profile: '', chroma: '4:2:0', bitDepth: 8, ...size, problem: null };
      const inBrowser = codec === 'hevc' && hardware === undefined ? null : given(hardware ?? software);
      rows.push({
        ...common,
        decoder: 'browser',
        acceleration: inBrowser === null ? 'none' : hardware === undefined ? 'software' : 'hardware',
        msPerFrame: inBrowser,
        together: [],
        problem: inBrowser === null ? 'No browser decodes H.265 without hardware.' : null,
      });
      rows.push({
        ...common,
        decoder: 'server',
        acceleration: 'software',
        msPerFrame: given(software * 0.8),
        together: [],
      });
    }
  }
  return rows;
}

/** ms for a megapixel on a machine of slowness 1. */
const EFFECT_KERNEL_MS: Readonly<Record<EffectKernel, number>> = {
  'colour table': 14,
  blur: 24,
  sharpen: 18,
  cover: 1,
  grain: 0.6,
  mask: 9,
  turn: 16,
};

function rigOf(sketch: Sketch): Rig {
  const { slowness, software, driveId } = sketch;
  const kernel = (
    name: string,
    stage: 'scale' | 'effects' | 'compose',
    ms: number,
    of: 'source' | 'result',
  ) => ({
    stage,
    kernel: name,
    on: 'processor' as const,
    msPerMegapixel: given(ms * slowness),
    of,
  });
  return {
    version: 1,
    id: `simulated-${sketch.id}`,
    name: sketch.name,
    simulated: true,
    note: sketch.note,
    thoroughness: 'given',
    measuredAt: GIVEN.measuredAt,
    machine: {
      model: sketch.name,
      cores: sketch.cores,
      memoryBytes: sketch.memoryGib * GIB,
      freeMemoryBytes: 0.5 * sketch.memoryGib * GIB,
      power: sketch.power,
      clockMhz: null,
      temperatureC: null,
      loadByOthers: 0,
    },
    browser: 'given',
    graphics: { renderer: sketch.renderer, software, stronger: sketch.stronger ?? null, displayHz: 60 },
    oneCoreFps: given(18 / slowness),
    allCoresFps: given((18 / slowness) * (1 / (0.1 + 0.9 / sketch.cores))),
    drives: [driveFigures(SIMULATED_DRIVES.find(({ id }) => id === driveId)!)],
    decoders: decodersOf(sketch),
    kernels: [
      kernel('copy', 'scale', 0.5, 'source'),
      ...[2, 4, 8, 16].map((scale) => kernel(`reduce 1:${scale}`, 'scale', 0.6, 'source')),
      kernel('resample', 'scale', 1.6, 'source'),
      ...Object.entries(EFFECT_KERNEL_MS).map(([name, ms]) => kernel(name, 'effects', ms, 'result')),
      kernel('compose two', 'compose', 0.6, 'result'),
    ],
    shows: [
      { width: 480, height: 270, ms: given(software ? 0.8 * slowness : 0.3) },
      { width: 960, height: 540, ms: given(software ? 2.4 * slowness : 0.5) },
      { width: 1920, height: 1080, ms: given(software ? 9 * slowness : 1.2) },
      { width: 3840, height: 2160, ms: given(software ? 34 * slowness : 4) },
    ],
    hardwarePaths: [],
  };
}

/** The figures of a simulated drive, as a rig holds them. */
export function driveFigures(drive: SimulatedDrive): Rig['drives'][number] {
  const kind = /Network/.test(drive.name) ? 'network' : /solid/.test(drive.name) ? 'solid state' : 'rotating';
  const bytes = 2e12;
  return {
    drive: drive.name,
    kind,
    fileSystem: '',
    holds: ['media', 'light copies', 'exports'],
    bytes,
    freeBytes: /95 %/.test(drive.name) ? 0.05 * bytes : 0.5 * bytes,
    readBytesPerSecond: given(drive.readBytesPerSecond, 0.05),
    readManyBytesPerSecond: given(drive.readBytesPerSecond * (drive.seekMs > 5 ? 0.6 : 1), 0.05),
    writeBytesPerSecond: given(drive.writeBytesPerSecond, 0.05),
    randomReadMs: given(drive.latencyMs + drive.seekMs),
    problem: null,
  };
}

/** Machines that are not there, to ask whether a timeline would play on them. */
export const SIMULATED_RIGS: readonly Rig[] = SKETCHES.map(rigOf);
