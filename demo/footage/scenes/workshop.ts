import type { SKRSContext2D } from '@napi-rs/canvas';
import { gradient, STAGE, type Scene } from '../scene.js';

/** Gears by a window, with dust in the light: the second camera. */
export const workshop: Scene = (context, seconds) => {
  gradient(context, 0, STAGE.height, ['#2c211b', '#4a3728', '#2a1f18']);
  context.fillStyle = '#dfe6e2';
  context.fillRect(1260, 130, 380, 470);
  context.fillStyle = '#3a2b20';
  for (const x of [1250, 1440, 1630]) context.fillRect(x, 120, 20, 490);
  for (const y of [120, 355, 596]) context.fillRect(1250, y, 400, 18);
  beam(context);
  gear(context, 620, 600, 330, 28, seconds * 0.35, '#7d6043');
  gear(context, 1056, 742, 142, 12, -seconds * 0.8167 + 0.1, '#957a50');
  context.fillStyle = '#fff3d0';
  for (let index = 0; index < 120; index++) {
    const x = 700 + ((index * 97.3 + seconds * 22) % 900);
    const y = 180 + ((index * 61.7 + seconds * (9 + (index % 5))) % 760);
    context.globalAlpha = 0.25 + 0.25 * Math.sin(seconds * 2 + index);
    context.beginPath();
    context.arc(x, y, 1.5 + (index % 3), 0, 7);
    context.fill();
  }
  context.globalAlpha = 1;
};

function beam(context: SKRSContext2D): void {
  const light = context.createLinearGradient(1450, 300, 700, 1000);
  light.addColorStop(0, 'rgba(255,240,200,0.45)');
  light.addColorStop(1, 'rgba(255,240,200,0)');
  context.fillStyle = light;
  context.beginPath();
  context.moveTo(1270, 130);
  context.lineTo(1640, 600);
  context.lineTo(1100, STAGE.height);
  context.lineTo(250, STAGE.height);
  context.fill();
}

function gear(
  context: SKRSContext2D,
  x: number,
  y: number,
  radius: number,
  teeth: number,
  angle: number,
  colour: string,
): void {
  context.save();
  context.translate(x, y);
  context.rotate(angle);
  context.fillStyle = colour;
  context.beginPath();
  for (let tooth = 0; tooth < teeth; tooth++) {
    for (const [part, size] of [
      [0, 1],
      [0.25, 1.13],
      [0.5, 1.13],
      [0.75, 1],
    ] as const) {
      const turn = (2 * Math.PI * (tooth + part)) / teeth;
      context.lineTo(Math.cos(turn) * radius * size, Math.sin(turn) * radius * size);
    }
  }
  context.fill();
  context.fillStyle = '#241a14';
  for (let hole = 0; hole < 6; hole++) {
    const turn = (Math.PI * hole) / 3;
    context.beginPath();
    context.arc(Math.cos(turn) * radius * 0.6, Math.sin(turn) * radius * 0.6, radius * 0.17, 0, 7);
    context.fill();
  }
  context.restore();
}
