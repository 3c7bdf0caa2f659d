import type { SKRSContext2D } from '@napi-rs/canvas';
import { STAGE, type Scene } from '../scene.js';

/** The estuary from above, gliding upstream: the drone. */
export const estuary: Scene = (context, seconds) => {
  const travel = seconds * 95;
  context.fillStyle = '#8d7f5d';
  context.fillRect(0, 0, STAGE.width, STAGE.height);
  flats(context, travel);
  channel(context, travel, 330, '#5f6f63');
  channel(context, travel, 250, '#3f6670');
  channel(context, travel, 120, '#2c5561');
  glints(context, travel, seconds);
  saltings(context, travel);
  flock(context, seconds);
};

const bend = (along: number): number => 960 + 330 * Math.sin(along / 640) + 120 * Math.sin(along / 233 + 1);

function channel(context: SKRSContext2D, travel: number, width: number, colour: string): void {
  context.strokeStyle = colour;
  context.lineWidth = width;
  context.lineJoin = 'round';
  context.beginPath();
  for (let y = -80; y <= STAGE.height + 80; y += 40) context.lineTo(bend(y - travel), y);
  context.stroke();
}

function flats(context: SKRSContext2D, travel: number): void {
  for (let index = 0; index < 130; index++) {
    const row = Math.floor((index * 61 - travel) / 1400);
    const y = index * 61 - travel - row * 1400 - 160;
    const x = (index * 433 + row * 977) % STAGE.width;
    context.globalAlpha = 0.35;
    context.fillStyle = ['#a3946d', '#756a4d', '#b4a783', '#6b6a52'][index % 4]!;
    context.beginPath();
    context.ellipse(Math.abs(x), y, 90 + (index % 7) * 26, 26 + (index % 5) * 9, 0.4 * Math.sin(index), 0, 7);
    context.fill();
  }
  context.globalAlpha = 1;
}

function saltings(context: SKRSContext2D, travel: number): void {
  for (let index = 0; index < 150; index++) {
    const row = Math.floor((index * 83 + travel) / 1360);
    const y = ((index * 83 + travel) % 1360) - 140;
    const side = index % 2 ? 1 : -1;
    const x = bend(y - travel) + side * (270 + ((index * 71 + row * 131) % 420));
    context.fillStyle = index % 3 ? '#4d5f3a' : '#65743f';
    context.beginPath();
    context.arc(x, y, 12 + ((index * 13) % 30), 0, 7);
    context.fill();
  }
}

function glints(context: SKRSContext2D, travel: number, seconds: number): void {
  context.fillStyle = '#dfeae4';
  for (let index = 0; index < 140; index++) {
    const y = ((index * 47.7 + travel) % 1240) - 80;
    const x = bend(y - travel) + 115 * Math.sin(index * 12.9);
    context.globalAlpha = 0.5 * Math.max(0, Math.sin(seconds * 5 + index * 2.1));
    context.fillRect(x, y, 14, 3);
  }
  context.globalAlpha = 1;
}

function flock(context: SKRSContext2D, seconds: number): void {
  context.fillStyle = '#f5f2ea';
  for (let index = 0; index < 26; index++) {
    const x = 300 + seconds * 130 + 46 * (index % 6) + 20 * Math.sin(seconds * 2 + index);
    const y = 820 - seconds * 60 + 34 * Math.floor(index / 6) + 18 * Math.cos(seconds * 1.7 + index);
    context.beginPath();
    context.ellipse(x, y, 10 + 4 * Math.sin(seconds * 9 + index), 4, -0.4, 0, 7);
    context.fill();
  }
}
