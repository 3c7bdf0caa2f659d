export * from './imported.js';
export * from './otio-read.js';
export * from './otio-write.js';
export * from './cmx-read.js';
export * from './cmx-write.js';
export * from './relink.js';
export * from './cube.js';
