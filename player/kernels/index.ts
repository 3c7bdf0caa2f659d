export { reduceBox } from './reduce-box';
export { resamplePlane } from './resample';
export { toRgba } from './to-rgba';
export { splitPairs, narrowTo8 } from './unpack';
export { turnPlane } from './turn';
export { mixPlane } from './mix-plane';
