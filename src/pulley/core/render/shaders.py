"""The shaders: faces lit as on the canvas, edges and trail lines as bands of an even width, depth as soft shade."""

# faces: Lambert's law under a sky and a lamp near the eye, the colours and strengths of the canvas's lights
FACE_VERTEX = """
#version 330
uniform mat4 view_clip;
uniform mat4 lamp_clip;
in vec3 position;
in vec3 normal;
in mat4 pose;
in vec4 tint;
out vec3 face_normal;
out vec4 colour;
out vec4 in_lamp;
void main() {
  vec4 place = pose * vec4(position, 1.0);
  face_normal = mat3(pose) * normal;
  colour = tint;
  in_lamp = lamp_clip * place;
  gl_Position = view_clip * place;
}
"""

FACE_FRAGMENT = """
#version 330
const float PI = 3.14159265359;
uniform vec3 lamp;
uniform vec3 sky_axis;
uniform vec3 sky;
uniform vec3 earth;
uniform float lamp_strength;
uniform bool flat_ground;
uniform bool shadowed;
uniform sampler2DShadow shadow_map;
uniform sampler2D shade_map;
uniform vec2 grain;
in vec3 face_normal;
in vec4 colour;
in vec4 in_lamp;
out vec4 pixel;

float lit() {
  if (!shadowed) return 1.0;
  vec3 at = in_lamp.xyz / in_lamp.w * 0.5 + 0.5;
  if (any(lessThan(at, vec3(0.0))) || any(greaterThan(at, vec3(1.0)))) return 1.0;
  vec2 step = 1.0 / vec2(textureSize(shadow_map, 0));
  float sum = 0.0;
  for (int x = -1; x <= 1; x++)
    for (int y = -1; y <= 1; y++) sum += texture(shadow_map, vec3(at.xy + vec2(x, y) * step, at.z - 0.0005));
  return sum / 9.0;
}

vec3 encoded(vec3 c) {
  c = clamp(c, 0.0, 1.0);
  return mix(1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, c * 12.92, lessThanEqual(c, vec3(0.0031308)));
}

void main() {
  if (flat_ground) { pixel = vec4(encoded(colour.rgb), 1.0); return; }
  vec3 n = normalize(face_normal) * (gl_FrontFacing ? 1.0 : -1.0);
  vec3 around = mix(earth, sky, 0.5 * dot(n, sky_axis) + 0.5);
  vec3 light = around + lamp_strength * max(dot(n, lamp), 0.0) * lit();
  float soft = texture(shade_map, gl_FragCoord.xy * grain).r;
  pixel = vec4(encoded(colour.rgb * light / PI) * soft, colour.a);
}
"""

# a mesh's depth alone, for shadows and for the soft shade
DEPTH_VERTEX = """
#version 330
uniform mat4 view_clip;
in vec3 position;
in mat4 pose;
void main() { gl_Position = view_clip * pose * vec4(position, 1.0); }
"""
DEPTH_FRAGMENT = """
#version 330
void main() {}
"""

# edges: every line of a mesh as a band of so many pixels
EDGE_VERTEX = """
#version 330
uniform mat4 view_clip;
in vec3 position;
in mat4 pose;
in vec4 tint;
out vec4 line_colour;
out vec3 line_place;
void main() {
  vec4 place = pose * vec4(position, 1.0);
  line_place = place.xyz;
  gl_Position = view_clip * place;
  line_colour = tint;
}
"""
BAND_GEOMETRY = """
#version 330
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
uniform vec2 size;
uniform float width;
in vec4 line_colour[];
in vec3 line_place[];
out vec4 colour;
out float along;
void corner(vec4 at, vec2 shift, float run) {
  gl_Position = vec4(at.xy + shift * at.w * 2.0 / size, at.zw);
  colour = line_colour[0];
  along = run;
  EmitVertex();
}
void main() {
  vec4 a = gl_in[0].gl_Position, b = gl_in[1].gl_Position;
  if (a.w < 1e-6 || b.w < 1e-6) {
    if (a.w < 1e-6 && b.w < 1e-6) return;
    float t = (1e-5 - a.w) / (b.w - a.w);
    if (a.w < b.w) a = mix(a, b, t); else b = mix(a, b, t);
  }
  vec2 way = (b.xy / b.w - a.xy / a.w) * size * 0.5;
  float span = length(way);
  vec2 ahead = span > 1e-6 ? way / span : vec2(1.0, 0.0);
  vec2 aside = vec2(-ahead.y, ahead.x) * width * 0.5;
  vec2 reach = ahead * width * 0.5;
  float length = distance(line_place[0], line_place[1]);
  corner(a, aside - reach, 0.0);
  corner(a, -aside - reach, 0.0);
  corner(b, aside + reach, length);
  corner(b, -aside + reach, length);
  EndPrimitive();
}
"""
BAND_FRAGMENT = """
#version 330
uniform vec2 pattern;
in vec4 colour;
in float along;
out vec4 pixel;
void main() {
  if (pattern.y > 0.0 && mod(along, pattern.x + pattern.y) > pattern.x) discard;
  pixel = colour;
}
"""

# the soft shade of corners and clefts, from depth: how much nearer the neighbourhood of a point comes to the eye
SCREEN_VERTEX = """
#version 330
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }
"""
SHADE_FRAGMENT = """
#version 330
const int TAPS = 12;
uniform sampler2D depth_map;
uniform mat4 clip_view;
uniform vec2 grain;
uniform float reach;
uniform float scale;
uniform float arm;
uniform float most;
uniform vec2 offset;
uniform float strength;
out float pixel;

vec3 seen(vec2 at) {
  vec4 point = clip_view * vec4(vec3(at, textureLod(depth_map, at, 0.0).r) * 2.0 - 1.0, 1.0);
  return point.xyz / point.w;
}

void main() {
  vec2 at = gl_FragCoord.xy * grain;
  if (textureLod(depth_map, at, 0.0).r >= 1.0) { pixel = 1.0; return; }
  vec3 here = seen(at);
  vec3 left = here - seen(at - vec2(grain.x, 0.0)), right = seen(at + vec2(grain.x, 0.0)) - here;
  vec3 down = here - seen(at - vec2(0.0, grain.y)), up = seen(at + vec2(0.0, grain.y)) - here;
  vec3 across = abs(left.z) < abs(right.z) ? left : right;
  vec3 high = abs(down.z) < abs(up.z) ? down : up;
  vec3 n = normalize(cross(across, high));
  float speck = dot(floor(gl_FragCoord.xy) + offset, vec2(0.06711056, 0.00583715));
  float turn = 6.2831853 * fract(52.9829189 * fract(speck));
  float radius = min(scale * reach / (arm > 0.0 ? arm : -here.z), most);
  float covered = 0.0;
  for (int k = 0; k < TAPS; k++) {
    float share = (float(k) + 0.5) / float(TAPS), angle = turn + 2.39996 * float(k);
    vec2 way = vec2(cos(angle), sin(angle)) * radius * sqrt(share);
    vec3 there = seen(at + way * vec2(grain.x / grain.y, 1.0)) - here;
    float far = dot(there, there);
    float rise = dot(there, n) - 0.02 * reach;
    float fade = max(1.0 - far / (reach * reach), 0.0);
    covered += max(rise, 0.0) * inversesqrt(far + 1e-12) * fade;
  }
  pixel = clamp(1.0 - strength * covered / float(TAPS), 0.0, 1.0);
}
"""
BLUR_FRAGMENT = """
#version 330
uniform sampler2D shade_map;
uniform sampler2D depth_map;
uniform vec2 grain;
out float pixel;
void main() {
  vec2 at = gl_FragCoord.xy * grain;
  float here = textureLod(depth_map, at, 0.0).r, sum = 0.0, weight = 0.0;
  for (int x = -2; x < 2; x++)
    for (int y = -2; y < 2; y++) {
      vec2 there = at + (vec2(x, y) + 0.5) * grain;
      float w = 1.0 / (1e-4 + abs(textureLod(depth_map, there, 0.0).r - here));
      sum += w * textureLod(shade_map, there, 0.0).r;
      weight += w;
    }
  pixel = sum / weight;
}
"""
