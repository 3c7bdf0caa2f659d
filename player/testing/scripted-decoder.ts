import type { Channel, DecodeReply, DecodeRequest } from '../shared/messages.js';

/** A decode worker that does what a test says, and remembers what it was asked. */
export class ScriptedDecoder implements Channel<DecodeRequest, DecodeReply> {
  readonly asked: DecodeRequest[] = [];
  reply: (message: DecodeReply) => void = () => undefined;

  send(message: DecodeRequest): void {
    this.asked.push(message);
  }

  onMessage(handler: (message: DecodeReply) => void): void {
    this.reply = handler;
  }

  /** Addresses that a stream was given to write to. */
  granted(stream: number): number[] {
    return this.asked.flatMap((each) =>
      each.kind === 'grant' && each.stream === stream ? [each.address] : [],
    );
  }
}
