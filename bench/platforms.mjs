// Clouds and clusters of the size that issues name, with their stand-ins beside the server on the same processors.
import { execFileSync } from "node:child_process";
import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Database from "better-sqlite3";
import { root } from "../scripts/prepare.mjs";
import { timed } from "./pages.mjs";

const INSTANCES = 5_000;
const PODS = 20_000;
const CHANGES = 50;
/** After the start everything is taken in; then it is measured for so long. */
const REST_MS = 60_000;
const MEASURED_MS = 60_000;

const sleep = (ms) => new Promise((done) => setTimeout(done, ms));
const p95 = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length * 0.95)];

/** The demonstration's scenario, changed; its set-up beside it. */
function scenarioOf(folder, name, change) {
  const scenario = JSON.parse(readFileSync(join(root, "scenarios", "halvane.json"), "utf8"));
  change(scenario);
  const file = join(folder, `${name}.json`);
  writeFileSync(file, JSON.stringify(scenario));
  copyFileSync(join(root, "scenarios", "halvane-setup.json"), join(folder, `${name}-setup.json`));
  return file;
}

/** The server among the demo's processes. */
const serverOf = (pid) =>
  Number(
    execFileSync("pgrep", ["-P", String(pid), "-f", "server/main"], { encoding: "utf8" })
      .trim()
      .split("\n")[0],
  );

const ticksOf = (pid) => {
  const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1].split(" ");
  return Number(fields[11]) + Number(fields[12]);
};
const residentOf = (pid) => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))[1]) / 1024;

/** Starts a demo, lets it come to rest, and measures its server. */
async function runOf(startDemo, folder, name, change, also) {
  const data = join(folder, `data-${name}`);
  const file = scenarioOf(folder, name, change);
  const demo = await startDemo(["--scenario", file, "--data", data, "--fresh", "--history", "PT30M"], 7186);
  try {
    await sleep(REST_MS);
    const pid = serverOf(demo.pid);
    const before = ticksOf(pid);
    await sleep(MEASURED_MS);
    // A tick is a hundredth of a second.
    const percent = ((ticksOf(pid) - before) / 100 / (MEASURED_MS / 1000)) * 100;
    const db = new Database(join(data, "holotaxis.db"), { readonly: true });
    const more = also ? await also(db, demo) : {};
    db.close();
    return { percent, megabytes: residentOf(pid), ...more };
  } finally {
    await demo.end();
  }
}

/** Inventory and polls of a large cloud, and the watch of a large cluster. */
export async function measurePlatforms({ folder, keep, bare, startDemo }) {
  const base = await runOf(startDemo, folder, "plain", () => undefined);
  const reference = { name: "the same without them", value: base.percent };
  const cloud = await runOf(
    startDemo,
    folder,
    "cloud",
    (scenario) => Object.assign(scenario.clouds[0], { more: INSTANCES, perMinute: 100_000 }),
    async (db, demo) => {
      const sweep = db
        .prepare(
          "SELECT ended_at - started_at AS ms FROM sweep JOIN source ON source.id = sweep.source_id WHERE source.name = 'Altoform' AND ended_at IS NOT NULL ORDER BY sweep.id LIMIT 1",
        )
        .get();
      const { component_id: account } = db.prepare("SELECT component_id FROM platform ORDER BY things DESC").get();
      const times = [];
      // The first few warm up.
      for (let index = -5; index < 40; index++) {
        const { ms } = await timed(`${demo.base}/estate/platforms/${account}?sort=name&page=${Math.abs(index)}`);
        if (index >= 0) times.push(ms);
      }
      return { inventorySeconds: sweep.ms / 1000, page: p95(times) };
    },
  );
  keep({
    name: `first inventory of ${INSTANCES.toLocaleString("en-GB")} instances in pages of 100, other sources beside it`,
    value: cloud.inventorySeconds,
    unit: "s",
    better: "lower",
    target: 30,
    reference: { name: "bare HTTP server, start to first answer", value: bare.seconds },
  });
  keep({
    name: `processor for polling ${INSTANCES.toLocaleString("en-GB")} instances every 15 s, beyond the demo's own`,
    value: Math.max(0.1, cloud.percent - base.percent),
    unit: "% of a core",
    better: "lower",
    target: 30,
    reference,
  });
  keep({
    name: `page of an account with ${INSTANCES.toLocaleString("en-GB")} instances, p95`,
    value: cloud.page,
    unit: "ms",
    better: "lower",
    target: 100,
    reference: { name: "bare HTTP server, p95", value: bare.answer },
  });
  const cluster = await runOf(startDemo, folder, "cluster", (scenario) =>
    Object.assign(scenario.clusters[0], { more: PODS, churnPerSecond: CHANGES }),
  );
  keep({
    name: `processor for watching ${PODS.toLocaleString("en-GB")} containers with ${CHANGES} changes a second, beyond the demo's own`,
    value: Math.max(0.1, cluster.percent - base.percent),
    unit: "% of a core",
    better: "lower",
    target: 20,
    reference,
  });
  keep({
    name: `memory for watching ${PODS.toLocaleString("en-GB")} containers, beyond the demo's own`,
    value: Math.max(1, cluster.megabytes - base.megabytes),
    unit: "MB",
    better: "lower",
    target: 200,
    reference: { name: "the same without them", value: base.megabytes },
  });
}
