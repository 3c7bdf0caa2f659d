import { Control } from '../shared/control.js';
import { channel, type SoundRequest } from '../shared/messages.js';
import { Mixer } from './mixer.js';

globalThis.onmessage = (event: MessageEvent<{ port: MessagePort; control: SharedArrayBuffer }>) => {
  const mixer = new Mixer(new Control(event.data.control));
  channel<never, SoundRequest>(event.data.port).onMessage((request) => {
    switch (request.kind) {
      case 'init':
        break;
      case 'plan':
        mixer.setPlan(request.parts, request.urls, request.rate);
        break;
      case 'start':
        void mixer.start(request.epoch, request.from);
        break;
      case 'stop':
        mixer.stop();
    }
  });
};
