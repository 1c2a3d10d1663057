// What finding costs, against running servers of ours: pages of a large estate, bursts of syslog, a sweep of many hosts.
import Database from "better-sqlite3";
import { fork } from "node:child_process";
import { createSocket } from "node:dgram";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { bundle } from "../scripts/bundle.mjs";
import { startServer } from "./own-server.mjs";
import { timed } from "./pages.mjs";

const SIZE = 20_000;
const BURST = 20_000;
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));

const at = (values, share) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * share))];

/** Lines of syslog in one burst from one socket, as fast as they go out. */
async function burst(port) {
  const socket = createSocket("udp4");
  await new Promise((done) => socket.bind(0, "127.0.0.1", done));
  await new Promise((done) => socket.connect(port, "127.0.0.1", done));
  const stamp = new Date().toISOString();
  const began = performance.now();
  for (let index = 0; index < BURST; index++)
    await new Promise((done) =>
      socket.send(`<134>1 ${stamp} rack-1 carrier 7 - - parcel ${index} was taken at gate ${index % 9}`, done),
    );
  const seconds = (performance.now() - began) / 1000;
  socket.close();
  return seconds;
}

/** A plain receiver in a process of its own: how many of the burst reach a program that only counts. */
async function plainReceiver(folder) {
  const file = join(folder, "counts.mjs");
  writeFileSync(
    file,
    `import { createSocket } from "node:dgram"; let count = 0; const socket = createSocket("udp4", () => count++);
     socket.bind(7186, "127.0.0.1", () => { socket.setRecvBufferSize(8 * 1024 * 1024); process.send("ready"); });
     process.on("message", () => process.send(count));`,
  );
  const child = fork(file);
  await new Promise((done) => child.once("message", done));
  await burst(7186);
  await sleep(2000);
  child.send("how many");
  const count = await new Promise((done) => child.once("message", done));
  child.kill();
  return count;
}

/**
 * @param folder for stores
 * @param keep takes a measurement
 * @param bare p95 of a bare HTTP server, ms
 * @param startDemo starts the demonstration
 */
export async function measureFinding({ folder, keep, bare, startDemo }) {
  const { fillEstate } = await import(pathToFileURL(await bundle("bench/estate-store.ts", "bench-estate.js")).href);
  const data = join(folder, "twenty-thousand");
  fillEstate(root, data, SIZE);
  const server = await startServer(data, { port: 7185, syslog: 5586 });
  const reference = { name: "bare HTTP server, p95", value: bare.answer };
  const questions = [
    "",
    "q=rack-7",
    "kind=host.linux",
    "site=Hall+3&sort=address&order=asc",
    "label=owner:Crew+4",
    "page=150&sort=name&order=asc",
  ];
  for (const one of questions) await timed(`${server.base}/estate?size=100&${one}`);
  const measured = { page: [], data: [] };
  for (let round = 0; round < 12; round++)
    for (const one of questions) {
      measured.page.push((await timed(`${server.base}/estate?size=50&${one}`)).ms);
      measured.data.push((await timed(`${server.base}/estate.data?size=50&${one}`)).ms);
    }
  keep({
    name: "Estate at 20,000 components, data, p95",
    value: at(measured.data, 0.95),
    unit: "ms",
    better: "lower",
    target: 100,
    reference,
  });
  keep({
    name: "Estate at 20,000 components, whole page, p95",
    value: at(measured.page, 0.95),
    unit: "ms",
    better: "lower",
    target: 100,
    reference,
  });

  const sent = await burst(5586);
  const store = new Database(join(data, "holotaxis.db"), { readonly: true });
  const kept = () => store.prepare("SELECT count(*) AS n FROM log").get().n;
  const began = performance.now();
  let before = -1;
  while (kept() < BURST && (kept() !== before || performance.now() - began < 5000)) {
    before = kept();
    await sleep(500);
  }
  const got = kept();
  store.close();
  await server.end();
  process.stdout.write(`20,000 records went out in ${sent.toFixed(2)} s\n`);
  keep({
    name: "records of a burst of 20,000 by syslog over UDP that were kept",
    value: got,
    unit: "",
    better: "higher",
    target: BURST,
    reference: { name: "a program that only counts them", value: await plainReceiver(folder) },
  });

  const many = await startDemo(
    ["--fresh", "--data", join(folder, "many"), "--scale", "2000", "--history", "PT1M"],
    7188,
  );
  await many.end();
  const swept = new Database(join(folder, "many", "holotaxis.db"), { readonly: true });
  const { seconds, hosts } = swept
    .prepare(
      `SELECT (max(w.ended_at) - min(w.started_at)) / 1000.0 AS seconds, sum(w.recognised) AS hosts FROM sweep w
       JOIN source s ON s.id = w.source_id WHERE s.kind = 'range' AND w.started_at <= (SELECT min(started_at) FROM sweep) + 60000`,
    )
    .get();
  swept.close();
  if (hosts < 1_950) throw new Error(`Only ${hosts} hosts were read.`);
  keep({
    name: "2,000 hosts found and read with all tables by SNMP, stand-ins beside it",
    value: seconds,
    unit: "s",
    better: "lower",
    target: 90,
    reference: { name: "bare HTTP server, 2,000 answers at p95", value: (2000 * bare.answer) / 1000 },
  });
}
