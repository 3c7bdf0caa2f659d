export * from './facts.js';
export * from './frame-header.js';
export * from './copy-format.js';
export * from './decode-path.js';
export * from './packet-index.js';
export * from './pixel-format.js';
export * from './source-filter.js';
export * from './structure.js';
export { isUnreferenced, unreferencedBy, unreferencedIn, type UnreferencedRule } from './unreferenced.js';
