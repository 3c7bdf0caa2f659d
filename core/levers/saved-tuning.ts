import { array, object, string } from 'yup';
import { tuningSchema, type Tuning } from './tuning.js';

/** A tuning under a name; all projects of this machine have it. */
export interface SavedTuning {
  readonly name: string;
  readonly tuning: Tuning;
}

export const savedTuningSchema = object({
  name: string().strict().trim().required().max(80),
  tuning: tuningSchema.required(),
}).noUnknown();

export const savedTuningsSchema = array(savedTuningSchema.required())
  .strict()
  .required()
  .max(50)
  .test('names', 'two tunings have one name', (all) => {
    const names = all.map(({ name }) => name);
    return new Set(names).size === names.length;
  });

/** Whether all levers of two tunings stand alike. */
export const sameTuning = (one: Tuning, other: Tuning): boolean => tuningKey(one) === tuningKey(other);

/** One text for all equal tunings: absent positions and empty lists are alike, and so is every order of a list. */
export const tuningKey = (tuning: Tuning): string =>
  JSON.stringify(
    Object.entries(tuning as object)
      .map(([lever, position]: [string, unknown]): [string, unknown] => [
        lever,
        Array.isArray(position) ? position.map((each) => JSON.stringify(each)).toSorted() : position,
      ])
      .filter(([, position]) => position !== undefined && !(Array.isArray(position) && position.length === 0))
      .sort(([a], [b]) => a.localeCompare(b)),
  );
