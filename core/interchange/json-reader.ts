import { InterchangeError, type Json, type JsonObject } from './imported.js';

/** Steps of a way into a file that are told: what it begins with, and where it ends. */
const TOLD_STEPS = 3;

// Forty levels of "children" say nothing to anybody.
function shortPlace(place: string): string {
  const steps = place.split(' › ');
  if (steps.length <= TOLD_STEPS + 1) return place;
  return [steps[0], '…', ...steps.slice(-TOLD_STEPS)].join(' › ');
}

/** A value in a JSON file with its path, for error messages. */
export class JsonReader {
  constructor(
    readonly value: Json | undefined,
    readonly place: string,
  ) {}

  /** @throws InterchangeError when the text is not JSON */
  static parse(text: string): JsonReader {
    try {
      return new JsonReader(JSON.parse(text) as Json, 'the file');
    } catch (error) {
      const said = error instanceof Error ? error.message : '';
      throw new InterchangeError('the file', `it is not JSON: ${said.slice(0, 120)}`);
    }
  }

  get isMissing(): boolean {
    return this.value === undefined || this.value === null;
  }

  at(key: string): JsonReader {
    return new JsonReader(this.object()[key], `${this.place} › ${key}`);
  }

  object(): JsonObject {
    const { value } = this;
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return this.wrong('an object');
    return value as JsonObject;
  }

  list(): JsonReader[] {
    if (this.isMissing) return [];
    if (!Array.isArray(this.value)) return this.wrong('a list');
    return (this.value as readonly Json[]).map(
      (each, index) => new JsonReader(each, `${this.place} ${index + 1}`),
    );
  }

  text(otherwise?: string): string {
    if (typeof this.value === 'string') return this.value.slice(0, 4000);
    if (this.isMissing && otherwise !== undefined) return otherwise;
    return this.wrong('a text');
  }

  number(otherwise?: number): number {
    if (typeof this.value === 'number' && Number.isFinite(this.value)) return this.value;
    if (this.isMissing && otherwise !== undefined) return otherwise;
    return this.wrong('a number');
  }

  flag(otherwise: boolean): boolean {
    if (typeof this.value === 'boolean') return this.value;
    return this.isMissing ? otherwise : this.wrong('true or false');
  }

  fail(what: string): never {
    throw new InterchangeError(shortPlace(this.place), what);
  }

  private wrong(wanted: string): never {
    const found = this.isMissing ? 'nothing' : Array.isArray(this.value) ? 'a list' : this.said();
    return this.fail(`${wanted} was expected, but there is ${found}.`);
  }

  private said(): string {
    const { value } = this;
    return typeof value === 'object' ? 'an object' : `${typeof value} ${String(value).slice(0, 40)}`;
  }
}
