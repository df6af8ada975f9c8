// Prints what three.js reads of a USD text file (.usda): the fields of the layer, and the numbers of each camera that do
// not change, as a JSON object.
//   node usd.mjs FILE
import { readFileSync } from "node:fs";
import { USDAParser } from "three/examples/jsm/loaders/usd/USDAParser.js";

const { specsByPath } = new USDAParser().parseData(readFileSync(process.argv[2]).toString());
const cameras = {};
for (const [path, spec] of Object.entries(specsByPath)) {
  if (spec.fields.typeName === "Camera") cameras[path] = {};
}
for (const [path, spec] of Object.entries(specsByPath)) {
  const [prim, attribute] = path.split(".");
  const value = spec.fields.default;
  if (attribute && cameras[prim] && typeof value === "number") cameras[prim][attribute] = value;
}
console.log(JSON.stringify({ layer: specsByPath["/"].fields, cameras }));
