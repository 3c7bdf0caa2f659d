export * from './limiting-stage.js';
export * from './needy-sources.js';
