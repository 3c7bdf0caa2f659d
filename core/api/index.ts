export * from './held-jobs.js';
export * from './input.js';
export * from './open-api.js';
export * from './records.js';
export * from './reply-check.js';
export * from './requests.js';
export { ROUTES, type RouteDescription } from './routes.js';
