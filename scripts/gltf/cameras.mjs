// Prints where the camera of a name is in each frame, as three.js reads it from a glTF (.glb) or USD (.usda) file: a
// JSON object of frames and places in metres. Frames of glTF count from the number that is given, at so many a second.
//   node cameras.mjs FILE CAMERA FIRST PER_SECOND
import { readFileSync } from "node:fs";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { USDAParser } from "three/examples/jsm/loaders/usd/USDAParser.js";

const [file, camera, first, perSecond] = process.argv.slice(2);
const places = {};

function usd(text) {
  const { specsByPath } = new USDAParser().parseData(text);
  const layer = specsByPath["/"].fields;
  const { timeSamples } = specsByPath[`/Cameras/${camera}.xformOp:transform`].fields;
  timeSamples.times.forEach((frame, i) => {
    const m = timeSamples.values[i].flat();
    places[frame] = m.slice(12, 15).map((v) => v * layer.metersPerUnit);
  });
}

async function gltf(data) {
  const read = await new GLTFLoader().parseAsync(data.buffer.slice(data.byteOffset, data.byteOffset + data.length), "");
  const track = read.animations[0].tracks.find((t) => t.name === `${camera}.position`);
  track.times.forEach((seconds, i) => {
    const frame = Number(first) + Math.round(seconds * Number(perSecond));
    places[frame] = [...track.values.slice(3 * i, 3 * i + 3)];
  });
}

const data = readFileSync(file);
if (file.endsWith(".usda")) usd(data.toString());
else await gltf(data);
console.log(JSON.stringify(places));
