// Positions by three's own loader, mixer and skinning. Usage: positions.mjs FILE ANIMATION_INDEX TIME... ; prints
// JSON [{time, joints: {name: [x, y, z]}, vertices: [[x, y, z] of every 50th vertex]}].
import { readFileSync } from 'node:fs';
import { AnimationMixer, Vector3 } from 'three';
import { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js';

globalThis.self = globalThis;
const bytes = readFileSync(process.argv[2]);
const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
const gltf = await new Promise((done, failed) => new GLTFLoader().parse(buffer, '', done, failed));
const mixer = new AnimationMixer(gltf.scene);
const clip = gltf.animations[Number(process.argv[3])];
mixer.clipAction(clip).play();
const names = new Map();
(await Promise.all(gltf.parser.json.nodes.map((_, i) => gltf.parser.getDependency('node', i)))).forEach((node, i) =>
  names.set(node, gltf.parser.json.nodes[i].name));
const out = [];
for (const text of process.argv.slice(4)) {
  // Just before the end stays the end, not the start of the next loop.
  mixer.setTime(Math.min(Number(text), clip.duration * (1 - 1e-9)));
  gltf.scene.updateMatrixWorld(true);
  const entry = { time: Number(text), joints: {}, vertices: [] };
  gltf.scene.traverse((object) => {
    if (names.has(object)) entry.joints[names.get(object)] = object.getWorldPosition(new Vector3()).toArray();
    if (!object.isSkinnedMesh) return;
    object.skeleton.update();
    const count = object.geometry.attributes.position.count;
    for (let i = 0; i < count; i += 50) {
      const v = new Vector3().fromBufferAttribute(object.geometry.attributes.position, i);
      object.applyBoneTransform(i, v);
      entry.vertices.push(v.applyMatrix4(object.matrixWorld).toArray());
    }
  });
  out.push(entry);
}
console.log(JSON.stringify(out));
