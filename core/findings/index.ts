export * from './finding.js';
export * from './context.js';
export * from './findings.js';
export * from './utilisation.js';
export * from './lever-changes.js';
export * from './recommendations.js';
export * from './sharpness.js';
export * from './automatic-scale.js';
