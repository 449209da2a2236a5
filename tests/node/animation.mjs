// Reads a VRM animation with its reference loader and plays it on the reference humanoid of a VRM model: prints the
// world turns of the humanoid's bones since its rest as JSON [{time, bones: {name: [x, y, z, w]}}].
// Usage: animation.mjs ANIMATION.vrma MODEL.vrm TIME...
import { readFileSync } from "node:fs";
import { AnimationMixer, Quaternion } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { VRMLoaderPlugin } from "@pixiv/three-vrm";
import { VRMAnimationLoaderPlugin, createVRMAnimationClip } from "@pixiv/three-vrm-animation";

globalThis.self = globalThis;
const load = async (path, plugin) => {
  const bytes = readFileSync(path);
  const loader = new GLTFLoader();
  loader.register(plugin);
  return loader.parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length), "");
};
const vrm = (await load(process.argv[3], (parser) => new VRMLoaderPlugin(parser))).userData.vrm;
const animation = (await load(process.argv[2], (parser) => new VRMAnimationLoaderPlugin(parser))).userData
  .vrmAnimations[0];
const mixer = new AnimationMixer(vrm.scene);
const clip = createVRMAnimationClip(animation, vrm);
mixer.clipAction(clip).play();
const out = [];
for (const text of process.argv.slice(4)) {
  mixer.setTime(Math.min(Number(text), clip.duration * (1 - 1e-9)));
  vrm.humanoid.update();
  const bones = {};
  for (const [name, bone] of Object.entries(vrm.humanoid.normalizedHumanBones)) {
    bone.node.updateWorldMatrix(true, false);
    // The normalised humanoid stands with all turns zero: what a bone has is what it turned.
    bones[name] = bone.node.getWorldQuaternion(new Quaternion()).toArray();
  }
  out.push({ time: Number(text), bones });
}
console.log(JSON.stringify(out));
