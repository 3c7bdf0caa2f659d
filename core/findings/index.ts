export * from './limiting-stage.js';
