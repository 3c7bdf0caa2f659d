export { DEMO_PROJECT, SHORT_PROJECT, footageHandler, prepareDemo, type DemoProjectId } from './demo-project.js';
