import { STAGE, type Scene } from '../scene.js';

/** Height of the tide in metres: two semidiurnal parts, as any tide table has them. Invented. */
const height = (hours: number): number =>
  2.6 + 1.9 * Math.cos((2 * Math.PI * hours) / 12.42) + 0.7 * Math.cos((2 * Math.PI * hours) / 12 + 0.8);

/** A tide table on a screen, with a pointer that reads it off: the screen recording. */
export const tideTable: Scene = (context, seconds) => {
  context.fillStyle = '#f4f3ef';
  context.fillRect(0, 0, STAGE.width, STAGE.height);
  context.fillStyle = '#25404a';
  context.fillRect(0, 0, STAGE.width, 96);
  context.font = '600 44px sans-serif';
  context.fillStyle = '#ffffff';
  context.fillText('Tide at the mill sluice', 48, 64);
  context.strokeStyle = '#d3d2cc';
  context.lineWidth = 2;
  for (let hour = 0; hour <= 24; hour += 2) {
    const x = 140 + hour * 68;
    context.strokeRect(x, 160, 0, 620);
    context.fillStyle = '#51616a';
    context.font = '28px sans-serif';
    context.fillText(`${String(hour).padStart(2, '0')}:00`, x - 36, 826);
  }
  const at = (hours: number): [number, number] => [140 + hours * 68, 760 - 105 * height(hours)];
  context.strokeStyle = '#1f7a8c';
  context.lineWidth = 7;
  context.beginPath();
  for (let hour = 0; hour <= 24; hour += 0.2) context.lineTo(...at(hour));
  context.stroke();
  const hours = 2 + ((seconds * 1.15) % 20);
  const [x, y] = at(hours);
  context.fillStyle = '#c8553d';
  context.beginPath();
  context.arc(x, y, 16, 0, 7);
  context.fill();
  context.fillStyle = '#25404a';
  context.font = '600 52px sans-serif';
  const minutes = String(Math.floor((hours % 1) * 60)).padStart(2, '0');
  context.fillText(
    `${String(Math.floor(hours)).padStart(2, '0')}:${minutes}   ${height(hours).toFixed(2)} m`,
    140,
    940,
  );
  context.fillText(Math.abs(height(hours + 0.4) - height(hours - 0.4)) < 0.12 ? 'slack water' : '', 760, 940);
};
