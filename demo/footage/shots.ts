import { sideways, type Scene } from './scene.js';
import { estuary } from './scenes/estuary.js';
import { mill } from './scenes/mill.js';
import { pit } from './scenes/pit.js';
import { tideTable } from './scenes/tide-table.js';
import { workshop } from './scenes/workshop.js';

/** One piece of footage: its scene, and the coding of its camera. */
export interface Shot {
  readonly file: string;
  readonly scene?: Scene;
  readonly width: number;
  readonly height: number;
  /** Frames per second as ffmpeg writes it. */
  readonly rate: string;
  readonly seconds: number;
  /** Strength of the grain. */
  readonly grain: number;
  readonly encoder: readonly string[];
  /** An ffmpeg filter that thins out frames, for a varying rate. */
  readonly thinning?: string;
  /** Quarter turns in the file's display matrix: the camera was held upright. */
  readonly turned?: 1;
  readonly sound?: 'water' | 'voice';
}

const camera = (megabits: number, group: number, more: readonly string[] = []): string[] => [
  ...['-c:v', 'libx264', '-preset', 'ultrafast', '-g', String(group), '-keyint_min', String(group)],
  ...['-b:v', `${megabits}M`, '-maxrate', `${Math.round(megabits * 1.25)}M`, '-bufsize', `${megabits}M`],
  ...more,
];

const cabac = ['-x264-params', 'cabac=1:scenecut=0'];
/** Two pictures between those that others refer to, as most cameras write long groups. */
const between = ['-bf', '2', ...cabac];
const heavy = ['-bf', '2', '-x264-params', 'cabac=1:deblock=0,0:scenecut=0'];

/** The footage of "Slack Water". The order is that in which it is made: what the timeline shows first comes first. */
export const SHOTS: readonly Shot[] = [
  {
    file: 'Voice guide.m4a',
    width: 0,
    height: 0,
    rate: '24',
    seconds: 40,
    grain: 0,
    encoder: [],
    sound: 'voice',
  },
  {
    file: 'Second camera - workshop.mp4',
    scene: workshop,
    width: 1920,
    height: 1080,
    rate: '25',
    seconds: 9,
    grain: 6,
    encoder: camera(16, 50, cabac),
  },
  {
    file: 'Lapping at the sill.m4a',
    width: 0,
    height: 0,
    rate: '24',
    seconds: 21,
    grain: 0,
    encoder: [],
    sound: 'water',
  },
  {
    file: 'Phone - sluice.mp4',
    scene: sideways(pit),
    width: 1920,
    height: 1080,
    rate: '30',
    seconds: 6,
    grain: 4,
    encoder: camera(14, 30, cabac),
    turned: 1,
  },
  {
    file: 'Screen - tide table.mp4',
    scene: tideTable,
    width: 1920,
    height: 1080,
    rate: '30',
    seconds: 8,
    grain: 0,
    encoder: camera(4, 90, cabac),
    thinning: "select='not(eq(mod(n,5),1))*not(eq(mod(n,7),3))*not(eq(mod(n,11),6))'",
  },
  {
    file: 'Main camera - mill at dusk.mp4',
    scene: mill,
    width: 3840,
    height: 2160,
    rate: '24',
    seconds: 12,
    grain: 9,
    encoder: camera(56, 48, between),
    sound: 'water',
  },
  {
    file: 'Wheel pit - paddles.mp4',
    scene: pit,
    width: 3840,
    height: 2160,
    rate: '60',
    seconds: 5,
    grain: 5,
    encoder: camera(36, 120, heavy),
  },
  {
    file: 'Drone - upstream.mp4',
    scene: estuary,
    width: 2720,
    height: 1530,
    rate: '60000/1001',
    seconds: 6,
    grain: 6,
    encoder: camera(40, 60, cabac),
  },
];
