import { number as numberSchema, object, string, ValidationError, type ObjectSchema } from 'yup';
import { valueAt, type Effect, type EffectValue, type Timeline } from '../../timeline/index.js';
import { definitionOf, EFFECT_KINDS, isEffectKind, type EffectKind } from './catalogue.js';
import type { Parameter } from './definition.js';

/** An effect whose kind is known. */
export interface KnownEffect extends Effect {
  readonly kind: EffectKind;
}

const parameterOf = (effect: KnownEffect, name: string): Parameter => {
  const parameter = definitionOf(effect.kind).parameters[name];
  if (!parameter) throw new TypeError(`The effect ${effect.kind} has no parameter ${name}.`);
  return parameter;
};

/** Value of a number at a frame, counted from the clip's first, within its range. */
export function numberAt(effect: KnownEffect, name: string, frame = 0): number {
  const parameter = parameterOf(effect, name);
  if (parameter.kind !== 'number') throw new TypeError(`${name} is no number.`);
  const row = parameter.keyed ? effect.keyframes?.[name] : undefined;
  const said = row ? valueAt(row, frame) : effect.values[name];
  const value = typeof said === 'number' ? said : parameter.usual;
  return Math.min(parameter.most, Math.max(parameter.least, value));
}

/** Value of a text, a choice, a colour or the identifier of a table. */
export function textOf(effect: KnownEffect, name: string): string {
  const said = effect.values[name];
  const parameter = parameterOf(effect, name);
  if (parameter.kind === 'number') throw new TypeError(`${name} is no text.`);
  return typeof said === 'string' ? said : parameter.usual;
}

/** Whether any of some parameters changes along the clip. */
export const isKeyed = (effect: KnownEffect, ...names: readonly string[]): boolean =>
  names.some((name) => (effect.keyframes?.[name]?.length ?? 0) > 1);

function schemaFor(parameter: Parameter) {
  switch (parameter.kind) {
    case 'number':
      return numberSchema().strict().min(parameter.least).max(parameter.most).optional();
    case 'choice':
      return string().strict().oneOf(parameter.choices).optional();
    case 'colour':
      return string()
        .strict()
        .matches(/^#[0-9a-f]{6}$/, '${path} is not a colour as #rrggbb')
        .optional();
    case 'table':
      return string()
        .strict()
        .matches(/^[0-9a-f]{0,64}$/, '${path} is not the identifier of a colour table')
        .optional();
    case 'text':
      return string().strict().max(300).optional();
  }
}

const SCHEMAS = new Map<string, ObjectSchema<Record<string, EffectValue | undefined>>>(
  EFFECT_KINDS.map((kind) => [
    kind,
    object(
      Object.fromEntries(
        Object.entries(definitionOf(kind).parameters).map(([name, parameter]) => [
          name,
          schemaFor(parameter),
        ]),
      ),
    ).noUnknown('${path} has no parameter ${unknown}'),
  ]),
);

/** The first fault of an effect, in one sentence; undefined for a valid one. */
export function effectFault(effect: Effect): string | undefined {
  const schema = SCHEMAS.get(effect.kind);
  if (!schema || !isEffectKind(effect.kind)) return `There is no effect "${effect.kind}".`;
  const { name, parameters } = definitionOf(effect.kind);
  try {
    schema.validateSync(effect.values, { strict: true });
  } catch (error) {
    if (error instanceof ValidationError) return `${name}: ${error.message}.`;
    throw error;
  }
  for (const [key, row] of Object.entries(effect.keyframes ?? {})) {
    const parameter = parameters[key];
    if (parameter?.kind !== 'number' || !parameter.keyed)
      return `${name}: ${parameter?.name ?? key} cannot change along the clip.`;
    const { least, most, unit } = parameter;
    if (row.some(({ value }) => value < least || value > most))
      return `${name}: ${parameter.name} lies between ${least} and ${most} ${unit}.`;
  }
  return undefined;
}

/** The first thing that is wrong with an effect of a timeline, with its clip; undefined when nothing is. */
export function timelineEffectFault(timeline: Timeline): string | undefined {
  for (const { clips } of timeline.tracks) {
    for (const { name, effects = [] } of clips) {
      for (const effect of effects) {
        const fault = effectFault(effect);
        if (fault) return `Clip "${name}": ${fault}`;
      }
      if (effects.filter(({ kind }) => kind === 'transform').length > 1)
        return `Clip "${name}": a picture has one transform; change the one that is there.`;
    }
  }
  return undefined;
}
