import { createMemory, loadKernels } from '../shared/kernels.js';
import { channel } from '../shared/messages.js';
import { decodeTimes } from './decode-times.js';
import { graphicsTimes } from './graphics-times.js';
import { KernelBench } from './kernel-times.js';
import { workFor } from './presentation.js';
import type { NumberedReply, NumberedRequest, RigReply } from './messages.js';

let bench: KernelBench | undefined;
let canvas: OffscreenCanvas | undefined;

async function answer(request: NumberedRequest): Promise<RigReply> {
  switch (request.kind) {
    case 'init': {
      const memory = createMemory();
      bench = new KernelBench(await loadKernels(request.wasm, memory), memory);
      return { kind: 'init' };
    }
    case 'kernels':
      return { kind: 'kernels', times: await bench!.kernelTimes(request.rounds) };
    case 'canvas':
      ({ canvas } = request);
      return { kind: 'canvas' };
    case 'shows':
      return { kind: 'shows', times: await bench!.showTimes(request.sizes, request.rounds, canvas) };
    case 'showing': {
      const seen = request.seen ? canvas : undefined;
      return { kind: 'showing', pictures: await bench!.keepShowing(request.size, request.ms, seen) };
    }
    case 'work':
      return { kind: 'work', pieces: workFor(request.ms) };
    case 'decode':
      return {
        kind: 'decode',
        times: await decodeTimes(request.url, request.seconds, request.decoders, request.starts),
      };
    case 'graphics':
      return { kind: 'graphics', times: graphicsTimes(request.rounds) };
  }
}

const page = channel<NumberedReply, NumberedRequest>(globalThis as unknown as Parameters<typeof channel>[0]);
page.onMessage((request) => {
  answer(request)
    .then((reply) => page.send({ ...reply, number: request.number }))
    .catch((error: unknown) => {
      const message = error instanceof Error ? error.message : String(error);
      page.send({ kind: 'failed', number: request.number, message });
    });
});
