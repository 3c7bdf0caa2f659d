import { gradient, ripples, STAGE, wheel, type Scene } from '../scene.js';

/** Close to the turning wheel, with spray: the small camera in the wheel pit. */
export const pit: Scene = (context, seconds) => {
  gradient(context, 0, STAGE.height, ['#0f1517', '#1f2b2c', '#31413e']);
  context.strokeStyle = '#263233';
  context.lineWidth = 3;
  for (let row = 0; row < 14; row++) {
    for (let column = 0; column < 10; column++) {
      context.strokeRect(column * 220 - (row % 2) * 110, row * 84, 220, 84);
    }
  }
  wheel(context, {
    x: 1050,
    y: 120,
    radius: 760,
    angle: seconds * 0.9,
    paddles: 26,
    wood: '#6a4c31',
    dark: '#2e2016',
  });
  gradient(context, 860, STAGE.height, ['#46606000', '#2d4a4e', '#16282c']);
  ripples(context, seconds, { top: 850, bottom: STAGE.height, count: 120, colour: '#cfe3df', drift: -420 });
  context.fillStyle = '#dfeeec';
  for (let index = 0; index < 260; index++) {
    const life = (seconds * (0.9 + (index % 7) * 0.12) + index * 0.137) % 1;
    const angle = -0.3 - 1.9 * ((index * 0.618_034) % 1);
    const speed = 260 + ((index * 53) % 420);
    const x = 1010 + Math.cos(angle) * speed * life * 1.3;
    const y = 880 + Math.sin(angle) * speed * life + 560 * life * life;
    context.globalAlpha = 0.75 * (1 - life);
    const size = 2 + ((index * 7) % 7);
    context.fillRect(x, y, size, size + 8 * life);
  }
  context.globalAlpha = 1;
};
