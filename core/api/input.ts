import { ValidationError, type Schema } from 'yup';

/** Input that does not have the shape it must have. `faults` are sentences that name the place. */
export class InputError extends Error {
  override readonly name = 'InputError';

  constructor(
    message: string,
    readonly faults: readonly string[],
  ) {
    super(message);
  }
}

/**
 * Checks a value against a schema without changing it.
 * @param what the thing that is read, for the message: "the timeline"
 * @throws InputError with every fault
 */
export function checked<T>(schema: Schema<T>, value: unknown, what: string): T {
  // Yup takes undefined for a valid object: an empty body would pass for a timeline.
  if (value === undefined || value === null) {
    const fault = 'nothing was sent';
    throw new InputError(`Could not read ${what}: ${fault}.`, [fault]);
  }
  try {
    return schema.validateSync(value, { strict: true, abortEarly: false });
  } catch (error) {
    // A rule over several fields trips where one of them is missing or of another kind.
    if (error instanceof TypeError) {
      const fault = 'a field that it needs is missing or is of another kind';
      throw new InputError(`Could not read ${what}: ${fault}.`, [fault]);
    }
    if (!(error instanceof ValidationError)) throw error;
    const faults = error.errors.slice(0, 10);
    throw new InputError(`Could not read ${what}: ${faults.join('; ')}.`, faults);
  }
}
