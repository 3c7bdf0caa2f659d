// Builds Hone and runs one benchmark; its last line is one JSON object.
import { build } from './build.mjs';

build();
await import('../bench/dist/main.js');
