const UNASKED: readonly string[] = ['index', 'hash', 'strip', 'sound', 'damage', 'likeness'];

/** Whether nobody waits for the result of a kind of job: the machine is measured beside it, and holds it. */
export const isUnaskedJob = (kind: string): boolean => UNASKED.includes(kind);

/** Whether jobs of a kind are held while something plays. */
export const isHeldJob = (kind: string): boolean => isUnaskedJob(kind) || kind === 'stretch';
