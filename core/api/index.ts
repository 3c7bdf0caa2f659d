export * from './input.js';
export * from './records.js';
export * from './requests.js';
