import { Control } from '../shared/control.js';
import { loadKernels } from '../shared/kernels.js';
import {
  channel,
  type DecodeReply,
  type DecodeRequest,
  type EngineReply,
  type EngineRequest,
  type SoundRequest,
} from '../shared/messages.js';
import { Engine } from './engine.js';
import { Screen } from './screen.js';

const page = channel<EngineReply, EngineRequest>(globalThis);
const waiting: EngineRequest[] = [];

page.onMessage((request) => {
  if (request.kind !== 'init') throw new Error('The engine must be set up first.');
  page.onMessage((early) => waiting.push(early));
  void loadKernels(request.wasm, request.memory)
    .then((kernels) => {
      const screen = new Screen(request.canvas, request.memory, kernels);
      screen.onGraphicsLost = (reason) => page.send({ kind: 'lost graphics', reason });
      screen.onFault = (message) => page.send({ kind: 'failed', message });
      const engine = new Engine(
        screen,
        request.memory,
        new Control(request.control),
        request.decoders.map((port) => channel<DecodeRequest, DecodeReply>(port)),
        channel<SoundRequest, never>(request.sound),
        request.shares,
        (reply, transfer) => page.send(reply, transfer),
      );
      page.onMessage((later) => engine.handle(later));
      for (const early of waiting.splice(0)) engine.handle(early);
    })
    .catch((error: unknown) => page.send({ kind: 'failed', message: String(error) }));
});
