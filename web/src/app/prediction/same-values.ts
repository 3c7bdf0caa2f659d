/** Whether two values are the same, or plain objects whose fields are, down to a depth. Arrays are compared by identity. */
export function sameValues(one: unknown, other: unknown, depth: number): boolean {
  if (Object.is(one, other)) return true;
  if (depth === 0 || !isPlain(one) || !isPlain(other)) return false;
  const keys = Object.keys(one);
  return (
    keys.length === Object.keys(other).length &&
    keys.every((key) => key in other && sameValues(one[key], other[key], depth - 1))
  );
}

const isPlain = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && Object.getPrototypeOf(value) === Object.prototype;
