import { isSoftwareRenderer } from '@hone/core/machine';
import { programOf } from '../graphics/program.js';
import { madeUpFrame } from './kernel-times.js';
import type { GraphicsTimes } from './times.js';
import { rendererName } from './renderer.js';

const SOURCE = { width: 3840, height: 2160 };
const TARGET = { width: 960, height: 540 };

const VERTEX = `#version 300 es
out vec2 place;
void main() {
  vec2 corner = vec2(gl_VertexID & 1, gl_VertexID >> 1);
  place = vec2(corner.x, 1.0 - corner.y);
  gl_Position = vec4(2.0 * corner - 1.0, 0.0, 1.0);
}`;
const FRAGMENT = `#version 300 es
precision mediump float;
uniform sampler2D picture;
in vec2 place;
out vec4 colour;
void main() { colour = texture(picture, place); }`;

/** Time of the graphics processor to upload a decoded picture and draw it smaller, ms. */
export function graphicsTimes(rounds: number): GraphicsTimes {
  const megapixels = (SOURCE.width * SOURCE.height) / 1e6;
  const gl = new OffscreenCanvas(TARGET.width, TARGET.height).getContext('webgl2');
  const renderer = rendererName(gl);
  if (!gl) return { renderer, software: true, ms: [], megapixels };
  const frame = madeUpFrame(SOURCE);
  const ms: number[] = [];
  try {
    gl.useProgram(programOf(gl, VERTEX, FRAGMENT));
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    const pixel = new Uint8Array(4);
    for (let round = -1; round < rounds; round++) {
      const start = performance.now();
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, frame as TexImageSource);
      gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
      // Reading a pixel back waits until it is really drawn.
      gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
      if (round >= 0) ms.push(performance.now() - start);
    }
  } finally {
    frame.close();
    gl.getExtension('WEBGL_lose_context')?.loseContext();
  }
  return { renderer, software: isSoftwareRenderer(renderer), ms, megapixels };
}
