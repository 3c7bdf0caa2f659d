// The package that timecode is compared with in a test; it ships no types of its own.
declare module 'smpte-timecode' {
  export default class Timecode {
    constructor(frame: number, framesPerSecond: number, dropFrame: boolean);
    toString(): string;
  }
}
