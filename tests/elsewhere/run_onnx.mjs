// Runs a graph with a runtime that is not ours. Use: node run_onnx.mjs MODEL.onnx SETTINGS.json; settings are rows of
// numbers. Prints {"outputs": {name: {"dims", "values"}}}, numbers that are none as text.
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";

const require = createRequire(process.env.RENTH_NODE_MODULES + "/");
const ort = require("onnxruntime-web");
ort.env.wasm.numThreads = 1;
ort.env.logLevel = "error";
const [model, file] = process.argv.slice(2);
const rows = JSON.parse(readFileSync(file, "utf8"));
const session = await ort.InferenceSession.create(new Uint8Array(readFileSync(model)));
const flat = Float64Array.from(rows.flat().map(Number));
const out = await session.run({ settings: new ort.Tensor("float64", flat, [rows.length, rows[0].length]) });
const outputs = {};
for (const [name, tensor] of Object.entries(out))
  outputs[name] = { dims: tensor.dims, type: tensor.type, values: Array.from(tensor.data, (v) => (Number.isFinite(v) ? v : String(v))) };
console.log(JSON.stringify({ inputs: session.inputNames, outputs }));
