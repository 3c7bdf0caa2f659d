import type { SKRSContext2D } from '@napi-rs/canvas';
import { gradient, ripples, STAGE, wheel, type Scene } from '../scene.js';

const WATERLINE = 700;

/** The mill across its pond at dusk: the main camera. */
export const mill: Scene = (context, seconds) => {
  gradient(context, 0, WATERLINE, ['#2f4a6d', '#8fa3b5', '#e8b98a', '#f0d3a4']);
  sun(context);
  hills(context, 470, 46, '#5c6f7d', 0.6, seconds * 2);
  hills(context, 560, 34, '#40555a', 1.9, seconds * 4);
  house(context, seconds);
  gulls(context, seconds);
  gradient(context, WATERLINE, STAGE.height, ['#c9a481', '#56748a', '#223a50', '#14232f']);
  ripples(context, seconds, {
    top: WATERLINE + 4,
    bottom: STAGE.height,
    count: 170,
    colour: '#f2e3c8',
    drift: 46,
  });
  reeds(context, seconds);
};

function sun(context: SKRSContext2D): void {
  const glow = context.createRadialGradient(1430, 520, 20, 1430, 520, 330);
  glow.addColorStop(0, 'rgba(255,240,205,0.95)');
  glow.addColorStop(0.15, 'rgba(255,215,150,0.7)');
  glow.addColorStop(1, 'rgba(255,200,130,0)');
  context.fillStyle = glow;
  context.fillRect(1000, 150, 900, 550);
}

function hills(
  context: SKRSContext2D,
  base: number,
  height: number,
  colour: string,
  phase: number,
  drift: number,
): void {
  context.fillStyle = colour;
  context.beginPath();
  context.moveTo(0, WATERLINE);
  for (let x = 0; x <= STAGE.width; x += 24) {
    const along = (x + drift) / 210;
    context.lineTo(x, base + height * (Math.sin(along + phase) + 0.5 * Math.sin(2.7 * along + phase * 3)));
  }
  context.lineTo(STAGE.width, WATERLINE);
  context.fill();
}

function house(context: SKRSContext2D, seconds: number): void {
  context.fillStyle = '#6d4f3c';
  context.fillRect(420, 330, 430, WATERLINE - 330);
  context.fillStyle = '#3a2a24';
  context.beginPath();
  context.moveTo(380, 336);
  context.lineTo(635, 175);
  context.lineTo(890, 336);
  context.fill();
  context.strokeStyle = 'rgba(40,26,20,0.5)';
  context.lineWidth = 2;
  for (let y = 352; y < WATERLINE; y += 19) {
    context.beginPath();
    context.moveTo(420, y);
    context.lineTo(850, y);
    context.stroke();
  }
  for (const [x, y] of [
    [490, 410],
    [600, 410],
    [490, 540],
    [600, 540],
  ] as const) {
    context.fillStyle = (x + y) % 3 ? '#f4cf7d' : '#2b3238';
    context.fillRect(x, y, 54, 72);
    context.strokeStyle = '#2a1d17';
    context.lineWidth = 6;
    context.strokeRect(x, y, 54, 72);
  }
  wheel(context, {
    x: 900,
    y: 600,
    radius: 205,
    angle: seconds * 0.55,
    paddles: 20,
    wood: '#7a5b40',
    dark: '#3b2a20',
  });
}

function gulls(context: SKRSContext2D, seconds: number): void {
  context.strokeStyle = '#f7f4ee';
  context.lineWidth = 5;
  for (let index = 0; index < 9; index++) {
    const x = ((index * 287 + seconds * (60 + 13 * index)) % (STAGE.width + 200)) - 100;
    const y = 130 + 34 * index - 40 * Math.sin(seconds * 0.6 + index * 2);
    const flap = 13 * Math.sin(seconds * 6 + index * 1.3);
    const span = 22 + 2.5 * index;
    context.beginPath();
    context.moveTo(x - span, y - flap);
    context.quadraticCurveTo(x - span / 2, y - 9, x, y);
    context.quadraticCurveTo(x + span / 2, y - 9, x + span, y - flap);
    context.stroke();
  }
}

function reeds(context: SKRSContext2D, seconds: number): void {
  context.strokeStyle = '#1b241d';
  for (let index = 0; index < 90; index++) {
    const x = ((index * 53.3) % 640) + (index % 2 ? 0 : 1330);
    const height = 120 + ((index * 37) % 160);
    const sway = 16 * Math.sin(seconds * 1.1 + index * 0.7);
    context.lineWidth = 3 + (index % 4);
    context.beginPath();
    context.moveTo(x, STAGE.height);
    context.quadraticCurveTo(x, STAGE.height - height * 0.6, x + sway, STAGE.height - height);
    context.stroke();
  }
}
