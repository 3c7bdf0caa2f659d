import type { FrameSize } from '@hone/core/timeline';
import { programOf } from './program.js';
import { VERTEX } from './shaders.js';

/** A picture on the graphics processor that can be drawn into. */
export interface Target {
  readonly texture: WebGLTexture;
  readonly framebuffer: WebGLFramebuffer;
  readonly size: FrameSize;
}

/** Part of a target, in pixels. */
export interface Area extends FrameSize {
  readonly x: number;
  readonly y: number;
}

/** Values of a program's uniforms; numbers in a row are a vector, and `whole` ones are integers. */
export interface Uniforms {
  readonly textures?: Readonly<Record<string, WebGLTexture>>;
  readonly whole?: Readonly<Record<string, readonly number[]>>;
  readonly numbers?: Readonly<Record<string, readonly number[]>>;
  /** Vectors of four, one after the other. */
  readonly vectors?: Readonly<Record<string, Float32Array>>;
  /** Tables that are looked up in three dimensions. */
  readonly tables?: Readonly<Record<string, WebGLTexture>>;
}

interface Program {
  readonly program: WebGLProgram;
  readonly places: Map<string, WebGLUniformLocation | null>;
}

/** Draws with programs into pictures that stay on the graphics processor. */
export class Drawing {
  private readonly programs = new Map<string, Program>();
  private readonly targets = new Map<string, Target>();

  constructor(readonly gl: WebGL2RenderingContext) {
    gl.disable(gl.DITHER);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
  }

  /** A picture under a name; it has no content yet, or that of the last time. */
  target(name: string, size: FrameSize): Target {
    const known = this.targets.get(name);
    if (known && known.size.width === size.width && known.size.height === size.height) return known;
    if (known) this.free(known);
    const { gl } = this;
    const texture = this.texture(gl.TEXTURE_2D, gl.NEAREST);
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA8, size.width, size.height);
    const framebuffer = gl.createFramebuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, framebuffer);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
    const made = { texture, framebuffer, size };
    this.targets.set(name, made);
    return made;
  }

  /** An empty texture that is bound, and ends at its edges. */
  texture(kind: GLenum, filter: GLenum): WebGLTexture {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.bindTexture(kind, texture);
    gl.texParameteri(kind, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(kind, gl.TEXTURE_MAG_FILTER, filter);
    for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R])
      if (side !== gl.TEXTURE_WRAP_R || kind === gl.TEXTURE_3D)
        gl.texParameteri(kind, side, gl.CLAMP_TO_EDGE);
    return texture;
  }

  /**
   * Runs a fragment shader for the pixels of a picture.
   * @param target null for the canvas @param area of the picture; all of it when absent
   * @throws Error when the graphics processor does not take the program
   */
  draw(fragment: string, target: Target | null, size: FrameSize, uniforms: Uniforms, area?: Area): void {
    const { gl } = this;
    const { program, places } = this.known(fragment);
    gl.useProgram(program);
    gl.bindFramebuffer(gl.FRAMEBUFFER, target?.framebuffer ?? null);
    gl.viewport(0, 0, size.width, size.height);
    if (area) {
      gl.enable(gl.SCISSOR_TEST);
      gl.scissor(area.x, area.y, area.width, area.height);
    } else gl.disable(gl.SCISSOR_TEST);
    const at = (name: string): WebGLUniformLocation | null => {
      if (!places.has(name)) places.set(name, gl.getUniformLocation(program, name));
      return places.get(name)!;
    };
    let unit = 0;
    for (const [kind, textures] of [
      [gl.TEXTURE_2D, uniforms.textures],
      [gl.TEXTURE_3D, uniforms.tables],
    ] as const) {
      for (const [name, texture] of Object.entries(textures ?? {})) {
        gl.activeTexture(gl.TEXTURE0 + unit);
        gl.bindTexture(kind, texture);
        gl.uniform1i(at(name), unit++);
      }
    }
    gl.activeTexture(gl.TEXTURE0);
    for (const [name, values] of Object.entries(uniforms.whole ?? {})) {
      if (values.length === 1) gl.uniform1i(at(name), values[0]!);
      else gl.uniform2i(at(name), values[0]!, values[1]!);
    }
    for (const [name, values] of Object.entries(uniforms.numbers ?? {})) {
      const place = at(name);
      if (values.length === 1) gl.uniform1fv(place, values);
      else if (values.length === 2) gl.uniform2fv(place, values);
      else if (values.length === 3) gl.uniform3fv(place, values);
      else gl.uniform4fv(place, values);
    }
    for (const [name, values] of Object.entries(uniforms.vectors ?? {})) gl.uniform4fv(at(name), values);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  }

  private known(fragment: string): Program {
    const known = this.programs.get(fragment);
    if (known) return known;
    const program = programOf(this.gl, VERTEX, fragment);
    const made = { program, places: new Map<string, WebGLUniformLocation | null>() };
    this.programs.set(fragment, made);
    return made;
  }

  private free({ texture, framebuffer }: Target): void {
    this.gl.deleteFramebuffer(framebuffer);
    this.gl.deleteTexture(texture);
  }
}
