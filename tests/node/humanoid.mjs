// Loads a file through three's loader with the reference reader of VRM 1.0 and prints which node plays which bone
// of its humanoid, as JSON.
import { readFileSync } from "node:fs";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { VRMLoaderPlugin } from "@pixiv/three-vrm";

globalThis.self = globalThis;
const bytes = readFileSync(process.argv[2]);
const loader = new GLTFLoader();
loader.register((parser) => new VRMLoaderPlugin(parser));
const gltf = await loader.parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length), "");
const vrm = gltf.userData.vrm;
const bones = {};
for (const [name, bone] of Object.entries(vrm.humanoid.rawHumanBones)) {
  bones[name] = gltf.parser.json.nodes[gltf.parser.associations.get(bone.node).nodes].name;
}
console.log(JSON.stringify({ metaVersion: vrm.meta.metaVersion, name: vrm.meta.name, bones }));
