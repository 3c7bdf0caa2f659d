/** The name that the browser's graphics processor gives itself, or 'none'. */
export function rendererName(gl: WebGL2RenderingContext | null): string {
  if (!gl) return 'none';
  const names = gl.getExtension('WEBGL_debug_renderer_info');
  return String(gl.getParameter(names ? names.UNMASKED_RENDERER_WEBGL : gl.RENDERER));
}

/** The graphics processor that the browser draws with now. Cheap: nothing is drawn. */
export function currentRenderer(): string {
  const gl = new OffscreenCanvas(1, 1).getContext('webgl2');
  const name = rendererName(gl);
  gl?.getExtension('WEBGL_lose_context')?.loseContext();
  return name;
}
