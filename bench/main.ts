import { parseArgs } from 'node:util';
import { cache } from './cache.js';
import { crashes } from './crashes.js';
import { index } from './index-packets.js';
import type { BenchOptions } from './options.js';
import { interfaceBench } from './interface.js';
import { optimize } from './optimize.js';
import { overload } from './overload.js';
import { player } from './player.js';
import { predictBench } from './predict.js';
import { replay } from './replay.js';
import { serverdecode } from './serverdecode.js';
import { simulate } from './simulate.js';
import { timeline } from './timeline.js';
import { transitions } from './transitions.js';
import { tuned } from './tuned.js';

const BENCHES: Readonly<Record<string, (options: BenchOptions) => Promise<Record<string, number>>>> = {
  player,
  cache,
  overload,
  tuned,
  optimize,
  index,
  interface: interfaceBench,
  predict: predictBench,
  replay,
  serverdecode,
  simulate,
  timeline,
  transitions,
  crashes,
};

const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: { seed: { type: 'string' }, random: { type: 'string' }, fixed: { type: 'string' } },
});
const [name = '', folder] = positionals;
const number = (text: string | undefined): number | undefined =>
  text === undefined ? undefined : Number(text);
const bench = BENCHES[name];
if (!bench) {
  console.error(`Name one of: ${Object.keys(BENCHES).join(', ')}. For example: npm run bench -- player`);
  process.exit(1);
}
const result = await bench({
  folder,
  seed: number(values.seed),
  random: number(values.random),
  fixed: values.fixed === 'none' ? 'none' : 'all',
});
const rounded = Object.entries(result).map(([key, value]) => [key, Number(value.toPrecision(4))]);
console.log(JSON.stringify(Object.fromEntries(rounded)));
process.exit(0);
