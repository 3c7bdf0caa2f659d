import { number, type EffectDefinition } from './definition.js';

const keyed = { keyed: true } as const;
const fine = { keyed: true, step: 0.1 } as const;
/** Whole turns are for keyframes, and typed; a slider spans one. */
const turned = { ...fine, slider: [-180, 180] } as const;

/**
 * Every effect there is. Lengths are in per cent of the picture's width or height, so that no size of frame changes what
 * is seen: across in per cent of the width, down and all radii in per cent of the height.
 */
export const EFFECTS = {
  transform: {
    name: 'Transform',
    costClass: 'geometry',
    parameters: {
      across: number('Across', '%', [-200, 0, 200], fine),
      down: number('Down', '%', [-200, 0, 200], fine),
      scale: number('Scale', '%', [1, 100, 800], keyed),
      rotation: number('Rotation', '°', [-3600, 0, 3600], turned),
      opacity: number('Opacity', '%', [0, 100, 100], keyed),
      cropLeft: number('Crop left', '%', [0, 0, 100], fine),
      cropRight: number('Crop right', '%', [0, 0, 100], fine),
      cropTop: number('Crop top', '%', [0, 0, 100], fine),
      cropBottom: number('Crop bottom', '%', [0, 0, 100], fine),
    },
  },
  mask: {
    name: 'Shape mask',
    costClass: 'geometry',
    parameters: {
      shape: { kind: 'choice', name: 'Shape', choices: ['ellipse', 'rectangle'], usual: 'ellipse' },
      side: { kind: 'choice', name: 'Keeps', choices: ['inside', 'outside'], usual: 'inside' },
      across: number('Across', '%', [-100, 50, 200], fine),
      down: number('Down', '%', [-100, 50, 200], fine),
      width: number('Width', '%', [0, 60, 400], fine),
      height: number('Height', '%', [0, 60, 400], fine),
      rotation: number('Rotation', '°', [-3600, 0, 3600], turned),
      feather: number('Feather', '%', [0, 5, 100], fine),
      opacity: number('Opacity', '%', [0, 100, 100], keyed),
    },
  },
  exposure: {
    name: 'Exposure',
    costClass: 'colour',
    parameters: { stops: number('Exposure', 'stops', [-6, 0, 6], { step: 0.05 }) },
  },
  contrast: {
    name: 'Contrast',
    costClass: 'colour',
    parameters: { contrast: number('Contrast', '%', [0, 100, 300]) },
  },
  saturation: {
    name: 'Saturation',
    costClass: 'colour',
    parameters: { saturation: number('Saturation', '%', [0, 100, 200]) },
  },
  whiteBalance: {
    name: 'White balance',
    costClass: 'colour',
    parameters: {
      light: number('Colour temperature', 'K', [2000, 6504, 12_000], { step: 50 }),
      tint: number('Tint', '%', [-100, 0, 100]),
    },
  },
  table: {
    name: '3D LUT (.cube)',
    costClass: 'colour',
    parameters: {
      table: { kind: 'table', name: '.cube table', usual: '' },
      strength: number('Strength', '%', [0, 100, 100]),
    },
  },
  blur: {
    name: 'Gaussian blur',
    costClass: 'blur',
    parameters: { radius: number('Radius (one deviation)', '%', [0, 1, 20], { step: 0.05 }) },
  },
  sharpen: {
    name: 'Sharpen',
    costClass: 'blur',
    parameters: {
      amount: number('Amount', '%', [0, 80, 300]),
      radius: number('Radius (one deviation)', '%', [0.02, 0.15, 5], { step: 0.01 }),
    },
  },
  vignette: {
    name: 'Vignette',
    costClass: 'blend',
    parameters: { stops: number('Loss in the corners', 'stops', [0, 1, 6], { step: 0.05 }) },
  },
  denoise: {
    name: 'Temporal noise reduction',
    costClass: 'temporal',
    parameters: {
      strength: number('Strength', '%', [0, 30, 100]),
      frames: number('Over', 'frames', [5, 9, 33], { step: 2 }),
    },
  },
  grain: {
    name: 'Film grain',
    costClass: 'grain',
    parameters: {
      deviation: number('Deviation', 'levels', [0, 6, 40], { step: 0.5 }),
      size: number('Grain size', '%', [0.05, 0.2, 2], { step: 0.05 }),
    },
  },
  title: {
    name: 'Title',
    costClass: 'blend',
    parameters: {
      text: { kind: 'text', name: 'Text', usual: 'Title' },
      size: number('Height of a line', '%', [1, 10, 100], { step: 0.5 }),
      across: number('Across', '%', [-100, 50, 200], { step: 0.5 }),
      down: number('Down', '%', [-100, 80, 200], { step: 0.5 }),
      align: { kind: 'choice', name: 'Aligned', choices: ['left', 'centre', 'right'], usual: 'centre' },
      colour: { kind: 'colour', name: 'Colour', usual: '#ffffff' },
      opacity: number('Opacity', '%', [0, 100, 100], keyed),
    },
  },
} as const satisfies Record<string, EffectDefinition>;

export type EffectKind = keyof typeof EFFECTS;

export const EFFECT_KINDS = Object.keys(EFFECTS) as readonly EffectKind[];

export const isEffectKind = (kind: string): kind is EffectKind => Object.hasOwn(EFFECTS, kind);

export const definitionOf = (kind: EffectKind): EffectDefinition => EFFECTS[kind];
