import { crashes } from './crashes.js';
import { index } from './index-packets.js';
import { optimize } from './optimize.js';
import { player } from './player.js';
import { predict } from './predict.js';
import { serverdecode } from './serverdecode.js';
import { simulate } from './simulate.js';
import { timeline } from './timeline.js';
import { tuned } from './tuned.js';

const BENCHES: Readonly<Record<string, (folder?: string) => Promise<Record<string, number>>>> = {
  player,
  tuned,
  optimize,
  index,
  predict,
  serverdecode,
  simulate,
  timeline,
  crashes,
};

const name = process.argv[2] ?? '';
const bench = BENCHES[name];
if (!bench) {
  console.error(`Name one of: ${Object.keys(BENCHES).join(', ')}. For example: npm run bench -- player`);
  process.exit(1);
}
const result = await bench(process.argv[3]);
const rounded = Object.entries(result).map(([key, value]) => [key, Number(value.toPrecision(4))]);
console.log(JSON.stringify(Object.fromEntries(rounded)));
process.exit(0);
