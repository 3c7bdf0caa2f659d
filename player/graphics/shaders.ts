/*
 * Pictures are textures of red = luma, green = blue difference, blue = red difference, alpha = opacity, as 8-bit codes from
 * 0 to 1. Their first row is the top one. Places are in pixels from the top left corner.
 */

export const HEAD = `#version 300 es
precision highp float;
precision highp int;
precision highp sampler2D;
precision highp sampler3D;
precision highp isampler2D;
`;

/** Covers whatever the viewport is. */
export const VERTEX = `#version 300 es
void main() {
  vec2 corner = vec2(gl_VertexID & 1, gl_VertexID >> 1);
  gl_Position = vec4(2.0 * corner - 1.0, 0.0, 1.0);
}`;

/** A picture of the planes of an 8-bit 4:2:0 picture, with its alpha of luma where there is one. */
export const UNPACK = `${HEAD}
uniform sampler2D planes;
uniform ivec2 raster;
uniform bool hasAlpha;
out vec4 result;
float sampleAt(int index) {
  return texelFetch(planes, ivec2(index % raster.x, index / raster.x), 0).r;
}
void main() {
  ivec2 place = ivec2(gl_FragCoord.xy);
  ivec2 half_ = raster / 2;
  int luma = place.y * raster.x + place.x;
  int count = raster.x * raster.y;
  int chroma = count + (place.y / 2) * half_.x + place.x / 2;
  int chromaCount = half_.x * half_.y;
  float alpha = hasAlpha ? sampleAt(count + 2 * chromaCount + luma) : 1.0;
  result = vec4(sampleAt(luma), sampleAt(chroma), sampleAt(chroma + chromaCount), alpha);
}`;

/** The most shapes that cut one picture. */
export const MOST_SHAPES = 32;

/** A picture in its frame, cut by its shapes, turned and moved; its alpha is how much of it is seen. */
export const LAYER = `${HEAD}
uniform sampler2D picture;
uniform ivec2 corner;
uniform bool isWarped;
uniform vec3 across;
uniform vec3 down;
uniform float opacity;
uniform int shapeCount;
uniform vec4 shapes[${3 * MOST_SHAPES}];
out vec4 result;

// As seenAtPoint in core/render says.
float seenIn(vec4 first, vec4 second, vec4 third, vec2 place) {
  vec2 apart = place - first.zw;
  vec2 axes = second.zw;
  vec2 turned = vec2(apart.x * axes.x + apart.y * axes.y, apart.y * axes.x - apart.x * axes.y);
  float inside = first.x > 0.5
    ? (1.0 - length(turned / second.xy)) * min(second.x, second.y)
    : min(second.x - abs(turned.x), second.y - abs(turned.y));
  float share = clamp(0.5 + inside / third.x, 0.0, 1.0);
  return 1.0 - third.y * (first.y > 0.5 ? 1.0 - share : share);
}

float seenAt(vec2 place) {
  float seen = 1.0;
  for (int at = 0; at < shapeCount; at++)
    seen *= seenIn(shapes[3 * at], shapes[3 * at + 1], shapes[3 * at + 2], place);
  return seen;
}

ivec2 within(ivec2 place, ivec2 size) { return clamp(place, ivec2(0), size - 1); }

float alphaOf(ivec2 place, ivec2 size) {
  return place == within(place, size) ? texelFetch(picture, place, 0).a : 0.0;
}

// Between four samples: luma and alpha, which is nothing outside.
vec2 lumaAt(vec2 place, ivec2 size) {
  ivec2 first = ivec2(floor(place));
  vec2 share = place - floor(place);
  vec2 sum = vec2(0.0);
  for (int at = 0; at < 4; at++) {
    ivec2 step_ = ivec2(at & 1, at >> 1);
    vec2 weight = mix(1.0 - share, share, vec2(step_));
    ivec2 each = first + step_;
    sum += weight.x * weight.y * vec2(texelFetch(picture, within(each, size), 0).r, alphaOf(each, size));
  }
  return sum;
}

// Between four samples of chroma, each of which stands for four pixels.
vec2 chromaAt(vec2 place, ivec2 size) {
  ivec2 first = ivec2(floor(place));
  vec2 share = place - floor(place);
  vec2 sum = vec2(0.0);
  for (int at = 0; at < 4; at++) {
    ivec2 step_ = ivec2(at & 1, at >> 1);
    vec2 weight = mix(1.0 - share, share, vec2(step_));
    sum += weight.x * weight.y * texelFetch(picture, 2 * within(first + step_, size / 2), 0).gb;
  }
  return sum;
}

void main() {
  ivec2 size = textureSize(picture, 0);
  if (!isWarped) {
    vec2 place = gl_FragCoord.xy - vec2(corner);
    vec4 found = texelFetch(picture, ivec2(floor(place)), 0);
    result = vec4(found.rgb, found.a * seenAt(place) * opacity);
    return;
  }
  vec3 here = vec3(gl_FragCoord.xy, 1.0);
  vec3 block = vec3(2.0 * floor(gl_FragCoord.xy / 2.0) + 1.0, 1.0);
  vec2 place = vec2(dot(across, here), dot(down, here));
  vec2 chromaPlace = vec2(dot(across, block), dot(down, block)) / 2.0;
  vec2 found = lumaAt(place - 0.5, size);
  result = vec4(found.r, chromaAt(chromaPlace - 0.5, size), found.g * seenAt(place) * opacity);
}`;

/** A picture as it is, and opaque. */
export const COPY = `${HEAD}
uniform sampler2D picture;
out vec4 result;
void main() { result = vec4(texelFetch(picture, ivec2(gl_FragCoord.xy), 0).rgb, 1.0); }`;

/** One colour. */
export const FLAT = `${HEAD}
uniform vec3 colour;
out vec4 result;
void main() { result = vec4(colour, 1.0); }`;

/** A picture as red, green and blue, the top row last, as a canvas has it. */
export const TO_RGB = `${HEAD}
uniform sampler2D picture;
uniform float offset;
uniform float lumaGain;
uniform vec4 chromaGains;
out vec4 result;
void main() {
  ivec2 size = textureSize(picture, 0);
  ivec2 place = ivec2(gl_FragCoord.xy);
  vec3 code = texelFetch(picture, ivec2(place.x, size.y - 1 - place.y), 0).rgb;
  float luma = lumaGain * (code.r - offset);
  vec2 chroma = code.gb - 128.0 / 255.0;
  result = vec4(
    luma + chromaGains.x * chroma.y,
    luma - chromaGains.y * chroma.x - chromaGains.z * chroma.y,
    luma + chromaGains.w * chroma.x,
    1.0);
}`;
