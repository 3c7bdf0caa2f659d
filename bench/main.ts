import { index } from './index-packets.js';
import { optimize } from './optimize.js';
import { player } from './player.js';
import { predict } from './predict.js';
import { serverdecode } from './serverdecode.js';
import { timeline } from './timeline.js';
import { tuned } from './tuned.js';

const BENCHES: Readonly<Record<string, () => Promise<Record<string, number>>>> = {
  player,
  tuned,
  optimize,
  index,
  predict,
  serverdecode,
  timeline,
};

const name = process.argv[2] ?? '';
const bench = BENCHES[name];
if (!bench) {
  console.error(`Name one of: ${Object.keys(BENCHES).join(', ')}. For example: npm run bench -- player`);
  process.exit(1);
}
const result = await bench();
const rounded = Object.entries(result).map(([key, value]) => [key, Number(value.toPrecision(4))]);
console.log(JSON.stringify(Object.fromEntries(rounded)));
process.exit(0);
