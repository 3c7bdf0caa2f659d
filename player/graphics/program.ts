/**
 * A program of a vertex and a fragment shader.
 * @throws Error with what the driver says when the graphics processor does not take it
 */
export function programOf(gl: WebGL2RenderingContext, vertex: string, fragment: string): WebGLProgram {
  const program = gl.createProgram();
  for (const [kind, text] of [
    [gl.VERTEX_SHADER, vertex],
    [gl.FRAGMENT_SHADER, fragment],
  ] as const) {
    const shader = gl.createShader(kind)!;
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS) && !gl.isContextLost()) {
    const logs = (gl.getAttachedShaders(program) ?? []).map((shader) => gl.getShaderInfoLog(shader));
    const said = [...logs, gl.getProgramInfoLog(program)].filter(Boolean).join(' ');
    throw new Error(`The graphics processor does not take a program of the preview: ${said}`);
  }
  return program;
}
