export * from './model.js';
export * from './schema.js';
