// Asks a served page what it must refuse, byte for byte as an attacker could. Prints the status of each as one JSON
// document. Use: node attack.mjs URL
import { connect } from "node:net";

const url = new URL(process.argv[2]), host = url.host, path = url.pathname, origin = `http://${host}`;
const talk = (text) =>
  new Promise((done) => {
    const socket = connect(Number(url.port), "127.0.0.1", () => socket.write(text));
    let heard = "";
    socket.on("data", (d) => (heard += d));
    socket.on("close", () => done(heard));
    socket.on("error", () => done(heard));
    setTimeout(() => socket.destroy(), 8000);
  });
const ask = async (method, at, headers = {}, body = "") => {
  const lines = Object.entries({ Host: host, ...headers }).flatMap(([k, v]) => (Array.isArray(v) ? v.map((w) => `${k}: ${w}`) : v === null ? [] : [`${k}: ${v}`]));
  const heard = await talk(`${method} ${at} HTTP/1.1\r\n${lines.join("\r\n")}\r\n${body ? `Content-Length: ${Buffer.byteLength(body)}\r\n` : ""}\r\n${body}`);
  return { status: Number(heard.split(" ")[1] ?? 0), body: heard.slice(heard.indexOf("\r\n\r\n") + 4), head: heard.slice(0, heard.indexOf("\r\n\r\n")) };
};
const json = { "Content-Type": "application/json" }, mine = { ...json, Origin: origin };
const mark = JSON.stringify({ name: "evil", point: {} });
const out = {};
const page = await ask("GET", path);
out.page = page.status;
out.headers = page.head;
out.policy = /Content-Security-Policy" content="([^"]*)"/.exec(page.body)?.[1];
out.own_call = (await ask("POST", path + "marks", mine, JSON.stringify({ name: "own", point: {} }))).status;
out.foreign_host = (await ask("GET", path, { Host: "evil.example" })).status;
out.foreign_host_port = (await ask("GET", path, { Host: `evil.example:${url.port}` })).status;
out.two_hosts = (await ask("GET", path, { Host: [host, "evil.example"] })).status;
out.no_host = (await ask("GET", path, { Host: null })).status;
out.foreign_origin = (await ask("POST", path + "marks", { ...json, Origin: "http://evil.example" }, mark)).status;
out.other_port = (await ask("POST", path + "marks", { ...json, Origin: "http://127.0.0.1:1" }, mark)).status;
out.null_origin = (await ask("POST", path + "marks", { ...json, Origin: "null" }, mark)).status;
out.no_origin = (await ask("POST", path + "marks", json, mark)).status;
out.foreign_reader = (await ask("GET", path + "study", { Origin: "http://evil.example" })).status;
out.cross_site = (await ask("GET", path + "study", { "Sec-Fetch-Site": "cross-site" })).status;
out.same_site = (await ask("GET", path + "study", { "Sec-Fetch-Site": "same-site" })).status;
out.no_token = (await ask("GET", "/")).status;
out.wrong_token = (await ask("GET", "/" + "0".repeat(32) + "/study")).status;
out.half_token = (await ask("GET", path.slice(0, 20))).status;
out.form = (await ask("POST", path + "marks", { Origin: origin, "Content-Type": "text/plain" }, mark)).status;
out.traversal = [];
for (const there of ["../../etc/passwd", "..%2f..%2fetc%2fpasswd", "%2e%2e/%2e%2e/etc/passwd", "study.toml", "study.db", "//etc/passwd", "\\..\\study.db"]) {
  const a = await ask("GET", path + there);
  out.traversal.push({ status: a.status, leaks: /root:|\[study\]|SQLite format/.test(a.body) });
}
out.huge_body = (await ask("POST", path + "marks", mine, "x".repeat(3 << 20))).status;
out.said_huge = (await ask("POST", path + "marks", { ...mine, "Content-Length": "99999999999" })).status;
out.endless = (await ask("POST", path + "marks", { ...mine, "Transfer-Encoding": "chunked" })).status;
out.put = (await ask("PUT", path + "marks", mine, mark)).status;
out.unknown_call = (await ask("POST", path + "run", mine, "{}")).status;
out.no_json = (await ask("POST", path + "marks", mine, "{")).status;
out.deep_json = (await ask("POST", path + "marks", mine, "[".repeat(100000))).status;
out.long_line = (await ask("GET", path + "a".repeat(20000))).status;
// A request within the body of a refused one must not be answered.
const inner = `GET ${path}study HTTP/1.1\r\nHost: ${host}\r\n\r\n`;
const smuggled = await talk(`POST ${path}marks HTTP/1.1\r\nHost: ${host}\r\nContent-Type: application/json\r\nContent-Length: ${inner.length}\r\n\r\n${inner}`);
out.smuggled = smuggled.split("HTTP/1.1").length - 1;
out.alive = (await ask("GET", path + "study")).status;
console.log(JSON.stringify(out));
