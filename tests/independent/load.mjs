// Loads the files of a chain's manifest with three's glTF loader, and switches between them by the distances in it:
// node load.mjs MANIFEST [FILE WITH ALL LEVELS]
import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { LOD, Object3D, PerspectiveCamera } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';

// What a browser has and Node has not: pictures are not looked at here.
globalThis.self = globalThis;
globalThis.ProgressEvent = class extends Event {};
globalThis.createImageBitmap = async () => ({ width: 1, height: 1, close() {} });

const load = (file) => {
  const bytes = readFileSync(file);
  const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
  return new GLTFLoader().parseAsync(buffer, '');
};

const triangles = (object) => {
  let count = 0;
  object.traverse((node) => {
    if (node.isMesh) count += node.geometry.index.count / 3;
  });
  return count;
};

const manifest = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const folder = dirname(process.argv[2]);
const result = { levels: [], drawn: [] };
const lod = new LOD();
const single = new Set(manifest.levels.map((level) => level.file)).size === 1 && manifest.levels.length > 1;
const whole = single ? await load(join(folder, manifest.levels[0].file)) : null;
for (const [index, level] of manifest.levels.entries()) {
  let object;
  if (single) {
    const { json } = whole.parser;
    const root = json.scenes[0].nodes.find((node) => json.nodes[node].extensions?.MSFT_lod);
    const node = index === 0 ? root : json.nodes[root].extensions.MSFT_lod.ids[index - 1];
    object = await whole.parser.getDependency('node', node);
  } else {
    object = (await load(join(folder, level.file))).scene;
  }
  const size = triangles(object);
  result.levels.push(size);
  lod.addLevel(index === 0 && !object.isObject3D ? new Object3D() : object, level.switch_distance_metres);
}
// From the middle of each level's range, its object is the one that is drawn.
const camera = new PerspectiveCamera();
for (const [index, level] of manifest.levels.entries()) {
  const next = manifest.levels[index + 1]?.switch_distance_metres ?? 2 * level.switch_distance_metres + 1;
  camera.position.set(0, 0, (level.switch_distance_metres + next) / 2);
  camera.updateMatrixWorld();
  lod.updateMatrixWorld();
  lod.update(camera);
  result.drawn.push(lod.getCurrentLevel());
}
console.log(JSON.stringify(result));
