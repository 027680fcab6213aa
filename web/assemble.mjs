// Puts scripts, styles and the core into the template, with a policy that lets nothing else run. What the tool
// fills in, @TITLE@ and @STUDY@, is no script; to the policy it adds where a served page may ask (@CONNECT@).
import { createHash } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { gzipSync } from "node:zlib";

const [coreScript, wasm, script, style, page, out] = process.argv.slice(2);
const text = (file) => readFileSync(file, "utf8");
const hash = (content) => `'sha256-${createHash("sha256").update(content, "utf8").digest("base64")}'`;
const harmless = (content) => content.replace(/<\/(script|style)/gi, "<\\/$1").trim();
const parts = {
  STYLE: harmless(text(style)),
  CORE_SCRIPT: harmless(text(coreScript)),
  SCRIPT: harmless(text(script)),
  CORE: gzipSync(readFileSync(wasm), { level: 9 }).toString("base64"),
};
const policy = [
  "default-src 'none'",
  `script-src ${hash(parts.CORE_SCRIPT)} ${hash(parts.SCRIPT)} 'wasm-unsafe-eval'`,
  `style-src ${hash(parts.STYLE)}`,
  "img-src data: blob:",
  "base-uri 'none'",
  "form-action 'none'",
].join("; ") + "@CONNECT@";
let html = text(page).replace("@POLICY@", () => policy);
for (const [key, value] of Object.entries(parts)) html = html.replace(`@${key}@`, () => value);
writeFileSync(out, html);
