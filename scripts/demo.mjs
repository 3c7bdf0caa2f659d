// Builds Hone and starts it with the demo project.
import { build } from './build.mjs';

build();
await import('../demo/dist/main.js');
