// How surfaces in space look: coloured by a value, lit from above, cut by a plane, with iso-lines and a sonic
// line.
import * as THREE from "../vendor/three/three.module.min.js";

const VERTEX = `
attribute float value, mach; varying float v, m; varying vec3 n; varying vec3 at;
void main() { v = value; m = mach; n = normalize(normalMatrix * normal);
  vec4 p = modelMatrix * vec4(position, 1.0);
  at = p.xyz; gl_Position = projectionMatrix * viewMatrix * p; }`;
const FRAGMENT = `
uniform sampler2D colours; uniform float low, high, bands, fade, lit; uniform bool banded, mapped, iso, sonic;
  uniform vec3 plain; uniform vec4 cut; uniform bool clipped;
varying float v, m; varying vec3 n; varying vec3 at;
void main() {
  if (clipped && dot(cut.xyz, at) > cut.w) discard;
  float s = clamp((v - low) / (high - low), 0.0, 1.0);
  if (banded) s = (floor(min(s, 0.99999) * bands) + 0.5) / bands;
  vec3 c = mapped ? texture2D(colours, vec2(s * 0.99609 + 0.00195, 0.5)).rgb : plain;
  vec3 ink = vec3(0.106, 0.165, 0.184);
  if (iso && v > low && v < high) {
    float x = (v - low) / (high - low) * bands, w = max(fwidth(x), 1e-9);
    c = mix(c, ink, 0.62 * (1.0 - smoothstep(0.2, 1.2, abs(fract(x - 0.5) - 0.5) / w)));
  }
  if (sonic) {
    float d = abs(m - 1.0) / max(fwidth(m), 1e-9);
    c = mix(c, vec3(1.0), 1.0 - smoothstep(1.6, 2.4, d));
    c = mix(c, ink, 1.0 - smoothstep(0.7, 1.4, d));
  }
  vec3 up = normalize(gl_FrontFacing ? n : -n);
  float light = 0.62 + 0.30 * max(dot(up, normalize(vec3(0.35, 0.55, 0.75))), 0.0)
    + 0.14 * max(dot(up, normalize(vec3(-0.6, 0.25, 0.3))), 0.0);
  gl_FragColor = vec4(mix(c, c * light, lit), fade);
}`;

export function material(options = {}) {
  return new THREE.ShaderMaterial({ vertexShader: VERTEX, fragmentShader: FRAGMENT, side: THREE.DoubleSide,
    transparent: Boolean(options.fade && options.fade < 1), uniforms: {
    colours: { value: null }, low: { value: 0 }, high: { value: 1 }, bands: { value: 24 }, banded: { value:
      false }, mapped: { value: options.mapped ?? true }, plain: { value: new THREE.Color(options.plain ??
      0xD9D4C6) },
    fade: { value: options.fade ?? 1 }, lit: { value: options.lit ?? 1 }, cut: { value: new THREE.Vector4(0,
      1, 0, 0) }, clipped: { value: false }, iso: { value: false }, sonic: { value: false } } });
}
