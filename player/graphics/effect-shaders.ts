import { HEAD } from './shaders.js';

/** Gives the sum of colours by the weight of their alpha back as a picture; nothing is seen where there was none. */
const WEIGHED = `${HEAD}
vec4 unweighed(vec4 sum, float whole) {
  return sum.a > 0.0 ? vec4(sum.rgb / sum.a, sum.a / whole) : vec4(0.0, 128.0 / 255.0, 128.0 / 255.0, 0.0);
}
`;

/** Colours by a table, as `colourCodes` makes it; limited range, BT.709. */
export const COLOUR = `${HEAD}
uniform sampler2D picture;
uniform sampler3D table;
uniform float steps;
out vec4 result;
void main() {
  vec4 code = texelFetch(picture, ivec2(gl_FragCoord.xy), 0);
  float luma = (255.0 * code.r - 16.0) / 219.0;
  vec2 chroma = (255.0 * code.gb - 128.0) / 224.0;
  vec3 colour = clamp(vec3(
    luma + 1.5748 * chroma.y,
    luma - 0.187324 * chroma.x - 0.468124 * chroma.y,
    luma + 1.8556 * chroma.x), 0.0, 1.0);
  result = vec4(texture(table, (colour * (steps - 1.0) + 0.5) / steps).rgb, code.a);
}`;

/** Means of blocks of pixels, by the weight of their alpha. */
export const REDUCE = `${WEIGHED}
uniform sampler2D picture;
uniform int factor;
out vec4 result;
void main() {
  ivec2 size = textureSize(picture, 0);
  ivec2 first = factor * ivec2(gl_FragCoord.xy);
  vec4 sum = vec4(0.0);
  float count = 0.0;
  for (int y = 0; y < factor; y++) {
    for (int x = 0; x < factor; x++) {
      ivec2 place = first + ivec2(x, y);
      if (place.x >= size.x || place.y >= size.y) continue;
      vec4 code = texelFetch(picture, place, 0);
      sum += vec4(code.a * code.rgb, code.a);
      count += 1.0;
    }
  }
  result = unweighed(sum, count);
}`;

/**
 * One direction of a blur by weights, as `blurWeights` makes them, and by the weight of alpha, so that nothing bleeds in
 * from where nothing is seen.
 */
export const BLUR = `${WEIGHED}
uniform sampler2D picture;
uniform sampler2D weights;
uniform ivec2 along;
out vec4 result;
void main() {
  ivec2 size = textureSize(picture, 0);
  ivec2 table = textureSize(weights, 0);
  ivec2 place = ivec2(gl_FragCoord.xy);
  int reach = table.x / 2;
  int at = along.x * place.x + along.y * place.y;
  int count = along.x * size.x + along.y * size.y;
  int half_ = table.y / 2;
  int row = at < half_ ? at : at >= count - half_ ? at - count + table.y : half_;
  vec4 sum = vec4(0.0);
  for (int apart = -reach; apart <= reach; apart++) {
    float weight = texelFetch(weights, ivec2(apart + reach, row), 0).r;
    vec4 code = texelFetch(picture, clamp(place + apart * along, ivec2(0), size - 1), 0);
    sum += weight * vec4(code.a * code.rgb, code.a);
  }
  result = unweighed(sum, 1.0);
}`;

/** A smaller picture at the size of another one, between four samples. */
export const ENLARGE = `${WEIGHED}
uniform sampler2D picture;
uniform float factor;
out vec4 result;
void main() {
  ivec2 last = textureSize(picture, 0) - 1;
  vec2 place = gl_FragCoord.xy / factor - 0.5;
  ivec2 first = ivec2(floor(place));
  vec2 share = place - floor(place);
  vec4 sum = vec4(0.0);
  for (int at = 0; at < 4; at++) {
    ivec2 step_ = ivec2(at & 1, at >> 1);
    vec2 weight = mix(1.0 - share, share, vec2(step_));
    vec4 code = texelFetch(picture, clamp(first + step_, ivec2(0), last), 0);
    sum += weight.x * weight.y * vec4(code.a * code.rgb, code.a);
  }
  result = unweighed(sum, 1.0);
}`;

/** Luma moved away from that of a blurred picture. */
export const SHARPEN = `${HEAD}
uniform sampler2D picture;
uniform sampler2D soft;
uniform float amount;
out vec4 result;
void main() {
  ivec2 place = ivec2(gl_FragCoord.xy);
  vec4 code = texelFetch(picture, place, 0);
  result = vec4(code.r + amount * (code.r - texelFetch(soft, place, 0).r), code.gba);
}`;

/** As vignetteGain in core/render says. */
export const VIGNETTE = `${HEAD}
uniform sampler2D picture;
uniform float bend;
uniform float power;
out vec4 result;
void main() {
  vec2 size = vec2(textureSize(picture, 0));
  vec4 code = texelFetch(picture, ivec2(gl_FragCoord.xy), 0);
  float distance_ = length(gl_FragCoord.xy - size / 2.0) / (length(size) / 2.0);
  float gain = pow(1.0 + bend * distance_ * distance_, -power);
  result = vec4(mix(vec3(16.0, 128.0, 128.0) / 255.0, code.rgb, gain), code.a);
}`;

/** Luma with grain from a tile that goes on periodically, in sixteenths of a level. */
export const GRAIN = `${HEAD}
uniform sampler2D picture;
uniform isampler2D tile;
uniform ivec2 offset;
out vec4 result;
void main() {
  ivec2 place = ivec2(gl_FragCoord.xy);
  vec4 code = texelFetch(picture, place, 0);
  int grain = (texelFetch(tile, (place + offset) % textureSize(tile, 0), 0).r + 8) >> 4;
  result = vec4(code.r + float(grain) / 255.0, code.gba);
}`;

/** One colour through a mask over a picture, which becomes as opaque as both together. */
export const COVER = `${HEAD}
uniform sampler2D picture;
uniform sampler2D mask;
uniform vec3 colour;
uniform float opacity;
out vec4 result;
void main() {
  ivec2 place = ivec2(gl_FragCoord.xy);
  vec4 code = texelFetch(picture, place, 0);
  float above = opacity * texelFetch(mask, place, 0).a;
  float alpha = above + code.a * (1.0 - above);
  result = vec4(mix(code.rgb, colour, alpha > 0.0 ? above / alpha : 0.0), alpha);
}`;
