// Lines of a width in pixels, as wide near as far: every segment is a ribbon that the graphics card spreads.
import * as THREE from "../vendor/three/three.module.min.js";

const VERTEX = `
attribute vec3 other; attribute float side; attribute vec3 tint; uniform vec2 size; uniform float width;
varying vec3 c;
void main() {
  mat4 seen = projectionMatrix * modelViewMatrix;
  vec4 a = seen * vec4(position, 1.0), b = seen * vec4(other, 1.0);
  vec2 way = (b.xy / b.w - a.xy / a.w) * size;
  vec2 across = vec2(-way.y, way.x) / max(length(way), 1e-6);
  // Half of the width to each side; a picture is two units wide and high.
  a.xy += side * width * across / size * a.w;
  c = tint;
  gl_Position = a;
}`;
const FRAGMENT = "varying vec3 c; uniform float opacity; void main() { gl_FragColor = vec4(c, opacity); }";
const WHITE = [1, 1, 1];

// points: x, y, z of both ends of every segment; colours: three numbers for each of these ends, or none.
export function ribbons(points, colours, { width, opacity, colour = WHITE }) {
  const count = points.length / 6, at = new Float32Array(12 * count), other = new Float32Array(12 * count);
  const tint = new Float32Array(12 * count), side = new Float32Array(4 * count);
  const index = new Uint32Array(6 * count);
  for (let k = 0; k < count; k++) {
    for (let corner = 0; corner < 4; corner++) {
      const end = corner < 2 ? 0 : 3, vertex = 4 * k + corner;
      for (let a = 0; a < 3; a++) {
        at[3 * vertex + a] = points[6 * k + end + a];
        other[3 * vertex + a] = points[6 * k + 3 - end + a];
        tint[3 * vertex + a] = colours ? colours[6 * k + end + a] : colour[a];
      }
      // Seen from its far end a segment runs the other way: left is right there.
      side[vertex] = (corner % 2 ? -1 : 1) * (end ? -1 : 1);
    }
    index.set([0, 1, 2, 2, 1, 3].map((corner) => 4 * k + corner), 6 * k);
  }
  const geometry = new THREE.BufferGeometry();
  for (const [name, values, size] of [["position", at, 3], ["other", other, 3], ["tint", tint, 3], ["side",
    side, 1]]) geometry.setAttribute(name, new THREE.BufferAttribute(values, size));
  geometry.setIndex(new THREE.BufferAttribute(index, 1));
  const material = new THREE.ShaderMaterial({ vertexShader: VERTEX, fragmentShader: FRAGMENT, side:
    THREE.DoubleSide, transparent: opacity < 1, depthWrite: opacity >= 1, uniforms: { size: { value:
    new THREE.Vector2(1, 1) }, width: { value: width }, opacity: { value: opacity } } });
  const mesh = new THREE.Mesh(geometry, material);
  mesh.frustumCulled = false;
  mesh.onBeforeRender = (renderer) => {
    renderer.getSize(material.uniforms.size.value);
    material.uniformsNeedUpdate = true;
  };
  return mesh;
}

// Another width and opacity of such lines.
export function restyle(mesh, { width, opacity }) {
  if (!mesh?.material.uniforms?.opacity) return;
  mesh.material.uniforms.width.value = width;
  mesh.material.uniforms.opacity.value = opacity;
  mesh.material.transparent = opacity < 1;
  mesh.material.depthWrite = opacity >= 1;
}
