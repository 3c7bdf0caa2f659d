/** What an effect costs to show, and so by which kernel it is done. */
export type CostClass = 'colour' | 'blur' | 'blend' | 'grain' | 'geometry' | 'temporal';

/** A number with its unit and range. */
export interface NumberParameter {
  readonly kind: 'number';
  readonly name: string;
  readonly unit: '%' | '°' | 'stops' | 'K' | 'levels' | '×' | 'frames';
  readonly least: number;
  readonly most: number;
  /** Default value. */
  readonly usual: number;
  readonly step: number;
  /** Whether it can change along the clip. */
  readonly keyed: boolean;
  /** The part of the range that a slider spans, where the whole would leave too little of it for each step. */
  readonly slider: readonly [least: number, most: number];
}

export interface ChoiceParameter {
  readonly kind: 'choice';
  readonly name: string;
  readonly choices: readonly string[];
  readonly usual: string;
}

/** A text, a colour as #rrggbb, or the identifier of a colour table. */
export interface TextParameter {
  readonly kind: 'text' | 'colour' | 'table';
  readonly name: string;
  readonly usual: string;
}

export type Parameter = NumberParameter | ChoiceParameter | TextParameter;

/** Definition of a kind of effect: names, values and their ranges. Its mathematics have a file of their own. */
export interface EffectDefinition {
  readonly name: string;
  readonly costClass: CostClass;
  readonly parameters: Readonly<Record<string, Parameter>>;
}

export function number(
  name: string,
  unit: NumberParameter['unit'],
  [least, usual, most]: readonly [least: number, usual: number, most: number],
  {
    step = 1,
    keyed = false,
    slider = [least, most],
  }: { step?: number; keyed?: boolean; slider?: readonly [number, number] } = {},
): NumberParameter {
  return { kind: 'number', name, unit, least, most, usual, step, keyed, slider };
}
