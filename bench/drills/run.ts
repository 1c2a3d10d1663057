import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, dirname, join, resolve } from "node:path";
import { parseArgs } from "node:util";
import { growScenario } from "#standins/grown/faults";
import { readScenario } from "#standins/scenario/read";
import type { Scenario } from "#standins/scenario/schema";
import { incidentsAgain } from "./again";
import { WatchedEstate } from "./estate";
import { Listener } from "./listen";
import { familyOf, verdictsPage, type CaseRecord, type Results } from "./page";
import { rowsOf, scoreCase, type Said } from "./score";
import { actsIn, summaryOf, trustAgain, trustingAll, type RepairRecord } from "./repair";
import { truthOf } from "./truth";

const MINUTE_MS = 60_000;
/** The estate's time that a case is watched before it is repaired, and at most until all is well again. */
const WATCHED_MS = 10 * MINUTE_MS;
const CALM_MS = 45 * MINUTE_MS;
/** After the last alarm is cleared: until then an incident may open again, and would take the next case's alarms in. */
const REST_MS = 16 * MINUTE_MS;
/** Hours of the day (UTC) in which there is enough to do for what only shows under load. */
const BUSY = { from: 7, to: 18 };
/** The machine's time that a server is given before the first case. */
const SETTLED_MS = 45_000;
/** Where a run begins: a busy morning, and a calm evening. */
const LOADS = ["2026-03-17T09:00:00Z", "2026-03-17T19:30:00Z"];
const SHORT = ["parser-leak", "release-host-dark", "store-locked", "planned-restart"];

const USAGE = `npm run drills -- [options]

Runs every drill of a scenario against a real server at pace, and says how well it was noticed, explained and repaired.

  --scenario FILE   a scenario with drills; every file in scenarios/ if left out
  --grown N,N       estates that are in no file, grown from these seeds, with drills of their own
  --write FOLDER    only writes the grown estates there, to be looked at with npm run demo -- --scenario
  --only ID,ID      these drills only
  --seeds N         how many seeds of the estate, 1 if left out
  --seed N          this one only; 0 is the file's own
  --loads N         1: a busy morning; 2: a calm evening too
  --load N          this one only; 0: the morning, 1: the evening
  --part N/M        of the drills every M-th only, beginning with the N-th: a run that is too long for one sitting in parts
  --from TIME       where a run begins instead, as 2026-03-17T21:30:00Z; with one load only
  --quiet HOURS     hours without a drill at the end, for false incidents; 3 if left out, 0 for none
  --pace N          of the clock, 60 if left out
  --short           four drills of the demonstration, for the tests; writes nothing
  --keep FOLDER     leaves the server's data there when it is done, each run's in a folder by its name, seed and load
  --repair          with policies at automatic: what is repaired without a person; writes bench/repair.json
  --again FOLDER    works the causes of a kept run out anew, by the inference as it is now; alarms stay as they were
  --page            only scores what was said anew and writes docs/verdicts.md`;

function refuse(message: string): never {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

const given = (() => {
  try {
    return parseArgs({
      options: {
        scenario: { type: "string" },
        grown: { type: "string" },
        write: { type: "string" },
        only: { type: "string" },
        seeds: { type: "string", default: "1" },
        seed: { type: "string" },
        loads: { type: "string", default: "1" },
        load: { type: "string" },
        part: { type: "string", default: "1/1" },
        from: { type: "string" },
        quiet: { type: "string", default: "3" },
        pace: { type: "string", default: "60" },
        short: { type: "boolean", default: false },
        page: { type: "boolean", default: false },
        keep: { type: "string" },
        again: { type: "string" },
        repair: { type: "boolean", default: false },
        help: { type: "boolean", default: false },
      },
    }).values;
  } catch (error) {
    return refuse(`${error instanceof Error ? error.message : error}\n\n${USAGE}`);
  }
})();
if (given.help) {
  process.stdout.write(`${USAGE}\n`);
  process.exit(0);
}
const whole = (name: "seeds" | "seed" | "loads" | "load" | "quiet" | "pace", least: number, most: number): number => {
  const value = Number(given[name]);
  if (!Number.isInteger(value) || value < least || value > most)
    refuse(`--${name} ${given[name]}: use a whole number from ${least} to ${most}.`);
  return value;
};
const upTo = (count: number) => Array.from({ length: count }, (_, index) => index);
const seeds = given.seed === undefined ? upTo(whole("seeds", 1, 20)) : [whole("seed", 0, 19)];
const loads = given.load === undefined ? upTo(whole("loads", 1, LOADS.length)) : [whole("load", 0, LOADS.length - 1)];
const part = /^([1-9]\d?)\/([1-9]\d?)$/.exec(given.part)?.slice(1).map(Number);
const [partAt = 1, parts = 1] = part ?? [];
if (!part || partAt > parts) refuse(`--part ${given.part}: say which of how many, as 2/3.`);
if (given.from !== undefined && (loads.length !== 1 || !/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$/.test(given.from)))
  refuse(`--from ${given.from}: use an instant as 2026-03-17T21:30:00Z, and one load.`);
const beginOf = (load: number) => given.from ?? (LOADS[load] as string);
const quietHours = given.short ? 0 : whole("quiet", 0, 48);
const pace = whole("pace", 1, 60);
const root = process.cwd();
const resultsFile = join(root, "bench", "drills.json");
const say = (text: string) => process.stdout.write(`${text}\n`);

/** Files of estates grown from seeds, written where they are looked for. */
function grownFiles(list: string, folder: string): string[] {
  return list.split(",").map((text) => {
    const seed = Number(text);
    if (!Number.isInteger(seed) || seed < 1 || seed > 1_000_000)
      refuse(`--grown ${list}: use whole numbers from 1 to 1,000,000, as 7,8.`);
    const { scenario, setup } = growScenario(seed);
    const file = join(folder, `grown-${seed}.json`);
    writeFileSync(file, JSON.stringify(scenario, undefined, 1));
    writeFileSync(join(folder, `grown-${seed}-setup.json`), JSON.stringify(setup, undefined, 1));
    return file;
  });
}

function scenarioFiles(): string[] {
  if (given.scenario) return [resolve(given.scenario)];
  if (given.grown) {
    const files = grownFiles(given.grown, mkdtempSync(join(tmpdir(), "holotaxis-grown-")));
    process.on("exit", () => rmSync(dirname(files[0] ?? ""), { recursive: true, force: true }));
    return files;
  }
  const folder = join(root, "scenarios");
  if (given.short) return [join(folder, "halvane.json")];
  return readdirSync(folder)
    .filter((name) => name.endsWith(".json") && !name.endsWith("-setup.json"))
    .map((name) => join(folder, name));
}

function scenarioIn(file: string): Scenario {
  if (!existsSync(file)) refuse(`There is no scenario file ${file}.`);
  let json: unknown;
  try {
    json = JSON.parse(readFileSync(file, "utf8"));
  } catch (error) {
    return refuse(`${file} is not JSON: ${error instanceof Error ? error.message : error}`);
  }
  const read = readScenario(json);
  if (!read.ok) return refuse(`${file}:\n${read.problems.map((one) => `  - ${one}`).join("\n")}`);
  return read.scenario;
}

/** The same estate by other chances. */
const ofSeed = (scenario: Scenario, seed: number): Scenario => ({ ...scenario, seed: scenario.seed + seed * 1009 });

/** Drills of unlike services one after another, so that what one leaves behind is not taken for the next. */
function inTurn(ids: readonly string[]): string[] {
  const half = Math.ceil(ids.length / 2);
  return ids
    .slice(0, half)
    .flatMap((id, index) => [id, ...(ids[half + index] === undefined ? [] : [ids[half + index] as string])]);
}

/** Whether a drill ends by what was done: at once, or as soon as the world of a slow machine has caught up. */
async function endsSoon(estate: WatchedEstate, id: string): Promise<boolean> {
  for (let look = 0; look < 40; look++) {
    await estate.passes(10_000);
    if (!(await estate.isActive(id))) return true;
  }
  return false;
}

/** One drill: started, watched, repaired as its answer says, and waited for until all is well. */
async function runCase(
  estate: WatchedEstate,
  listener: Listener,
  scenario: Scenario,
  id: string,
): Promise<Omit<CaseRecord, "scenario" | "seed" | "load">> {
  await estate.start(id);
  const startedAtMs = await estate.now();
  const truth = truthOf(scenario, id, startedAtMs);
  const seen = new Map<string, 1 | 2>();
  const watchUntil = startedAtMs + WATCHED_MS;
  let at = startedAtMs;
  while (at < watchUntil) {
    await estate.passes(15_000);
    at = await estate.now();
    const { degraded, down } = listener.services(at);
    for (const name of degraded) seen.set(name, Math.max(1, seen.get(name) ?? 1) as 1 | 2);
    for (const name of down) seen.set(name, 2);
  }
  const of = (level: 1 | 2) =>
    [...seen]
      .filter(([, one]) => one === level)
      .map(([name]) => name)
      .sort();
  const said: Said = listener.said(startedAtMs, at, { degraded: of(1), down: of(2) });
  const drill = scenario.drills.find((one) => one.id === id);
  for (const { fault } of drill?.faults ?? []) {
    const [first] = scenario.faults.find((one) => one.id === fault)?.endedBy ?? [];
    if (first) await estate.repair(first);
  }
  const hasFaults = (drill?.faults.length ?? 0) > 0;
  const repaired = hasFaults ? await endsSoon(estate, id) : undefined;
  await estate.end(id);
  const repairedAtMs = await estate.now();
  let calmAtMs: number | undefined;
  for (;;) {
    at = await estate.now();
    if (listener.standing() === 0) calmAtMs ??= at;
    else calmAtMs = undefined;
    if ((calmAtMs !== undefined && at - calmAtMs >= REST_MS) || at - repairedAtMs > CALM_MS) break;
    await estate.passes(20_000);
  }
  return {
    id,
    group: truth.group,
    startedAtMs,
    said,
    truth: { roots: truth.roots, services: truth.services, incidents: truth.incidents },
    score: scoreCase(said, truth),
    repaired,
    calmAfterMs: calmAtMs === undefined ? undefined : calmAtMs - repairedAtMs,
  };
}

/** One drill with policies at automatic: nobody does anything by hand until it was watched for its time. */
async function runRepairCase(
  estate: WatchedEstate,
  listener: Listener,
  scenario: Scenario,
  name: string,
  id: string,
): Promise<RepairRecord> {
  trustAgain(estate.data);
  await estate.start(id);
  const startedAtMs = await estate.now();
  const truth = truthOf(scenario, id, startedAtMs);
  const drill = scenario.drills.find((one) => one.id === id);
  const hasRepair = (drill?.faults.length ?? 0) > 0;
  let at = startedAtMs;
  let endedAtMs: number | undefined;
  while (at < startedAtMs + WATCHED_MS) {
    await estate.passes(5_000);
    at = await estate.now();
    if (hasRepair && endedAtMs === undefined && !(await estate.isActive(id))) endedAtMs = at;
    // What ended it is still to be proved.
    if (endedAtMs !== undefined && actsIn(estate.data, startedAtMs, at, truth).some((one) => one.proof === "proved"))
      break;
  }
  const acts = actsIn(estate.data, startedAtMs, at, truth);
  for (const { fault } of drill?.faults ?? []) {
    const [first] = scenario.faults.find((one) => one.id === fault)?.endedBy ?? [];
    if (first && endedAtMs === undefined) await estate.repair(first);
  }
  await estate.end(id);
  const calmFrom = await estate.now();
  let calmAtMs: number | undefined;
  for (;;) {
    at = await estate.now();
    if (listener.standing() === 0) calmAtMs ??= at;
    else calmAtMs = undefined;
    if ((calmAtMs !== undefined && at - calmAtMs >= REST_MS) || at - calmFrom > CALM_MS) break;
    await estate.passes(20_000);
  }
  const proof = acts.find((one) => one.proof === "proved" && one.proofAtMs !== null);
  return {
    scenario: name,
    id,
    group: truth.group,
    hasRepair,
    repaired: endedAtMs !== undefined,
    onsetToProofMs: endedAtMs === undefined || !proof?.proofAtMs ? undefined : proof.proofAtMs - startedAtMs,
    acts,
  };
}

const repairFile = join(root, "bench", "repair.json");
const repairs: RepairRecord[] =
  given.repair && existsSync(repairFile)
    ? (JSON.parse(readFileSync(repairFile, "utf8")) as { cases: RepairRecord[] }).cases
    : [];

/** Keeps what was measured of one case, in place of what was before. */
function keepRepair(record: RepairRecord): void {
  const at = repairs.findIndex((one) => one.scenario === record.scenario && one.id === record.id);
  if (at >= 0) repairs[at] = record;
  else repairs.push(record);
  const said = record.acts
    .map((one) => `${one.runbook} on ${one.component}${one.isWrong ? " (WRONG)" : ""}: ${one.proof ?? one.state}`)
    .join("; ");
  const time = record.onsetToProofMs === undefined ? "" : ` after ${Math.round(record.onsetToProofMs / 1000)} s`;
  say(
    `  ${record.id.padEnd(22)} ${record.hasRepair ? (record.repaired ? `repaired${time}` : "not repaired") : "nothing wrong"}  ${said}`,
  );
  writeFileSync(repairFile, `${JSON.stringify({ summary: summaryOf(repairs), cases: repairs }, undefined, 1)}\n`);
}

async function runEstate(
  file: string,
  seed: number,
  load: number,
  take: (record: CaseRecord) => void,
): Promise<{ hours: number; incidents: number } | undefined> {
  const scenario = scenarioIn(file);
  const name = basename(file, ".json");
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-drills-"));
  // Another seed is another file; its set-up goes with it.
  const own = join(folder, `${name}.json`);
  writeFileSync(own, JSON.stringify(ofSeed(JSON.parse(readFileSync(file, "utf8")) as Scenario, seed)));
  const setup = file.replace(/\.json$/, "-setup.json");
  if (existsSync(setup)) {
    const text = readFileSync(setup, "utf8");
    writeFileSync(own.replace(/\.json$/, "-setup.json"), given.repair ? trustingAll(root, text) : text);
  }
  const asked = given.only?.split(",") ?? (given.short ? SHORT : undefined);
  const unknown = asked?.find((id) => !scenario.drills.some((one) => one.id === id));
  if (unknown !== undefined && given.scenario) refuse(`There is no drill “${unknown}” in ${file}.`);
  const ids = inTurn(scenario.drills.map((one) => one.id).filter((id) => asked?.includes(id) ?? true)).filter(
    (_, index) => index % parts === partAt - 1,
  );
  if (!ids.length && quietHours === 0) return undefined;
  const data = given.keep ? join(resolve(given.keep), `${name}-${seed}-${load}`) : join(folder, "data");
  const estate = new WatchedEstate(root, data, own, scenarioIn(own), beginOf(load), pace, given.short ? "P1D" : "P8D");
  let listener: Listener | undefined;
  // Whoever breaks it off leaves no server behind.
  const leave = () => void estate.close().finally(() => process.exit(130));
  process.once("SIGINT", leave).once("SIGTERM", leave);
  try {
    await estate.ready();
    listener = new Listener(data, new Map(scenario.sites.map((one) => [one.name, one.id])));
    // Whatever the past left behind is over before the first case.
    await estate.passes(3 * MINUTE_MS);
    // A server that has just begun has much to catch up with, and says late what it would say at once afterwards.
    if (!given.short) await estate.settles(SETTLED_MS);
    if (given.repair) {
      for (const id of ids) keepRepair(await runRepairCase(estate, listener, scenarioIn(own), name, id));
      say(`  ${JSON.stringify(summaryOf(repairs))}`);
      return undefined;
    }
    const busy = new Set(scenario.drills.flatMap((one) => (one.busy ? [one.id] : [])));
    const left = [...ids];
    while (left.length) {
      const hour = new Date(await estate.now()).getUTCHours();
      const isBusy = hour >= BUSY.from && hour < BUSY.to;
      const next = left.findIndex((id) => busy.has(id) === isBusy);
      const [id = ""] = left.splice(Math.max(0, next), 1);
      const record = await runCase(estate, listener, scenarioIn(own), id);
      take({ scenario: name, seed, load, ...record });
      say(line(record));
    }
    if (quietHours === 0) return undefined;
    const from = await estate.now();
    await estate.passes(quietHours * 60 * MINUTE_MS);
    const to = await estate.now();
    return {
      hours: (to - from) / (60 * MINUTE_MS),
      incidents: listener.said(from, to, { degraded: [], down: [] }).incidents.length,
    };
  } finally {
    listener?.close();
    await estate.close();
    process.off("SIGINT", leave).off("SIGTERM", leave);
    rmSync(folder, { recursive: true, force: true });
  }
}

function line({ id, score, repaired, said }: Omit<CaseRecord, "scenario" | "seed" | "load">): string {
  const noticed =
    score.noticedAfterMs === undefined ? "not noticed" : `after ${Math.round(score.noticedAfterMs / 1000)} s`;
  const places = score.hostRanks.length
    ? `host ${score.hostRanks.join("+")}, element ${score.elementRanks.join("+")}`
    : "nothing wrong";
  return `  ${id.padEnd(22)} ${noticed.padEnd(14)} ${places.padEnd(24)} ${said.alarms.length} alarms in ${said.incidents.length} incidents${repaired === false ? ", NOT repaired" : ""}`;
}

function readResults(): Results {
  if (!existsSync(resultsFile)) return { rows: [], cases: [], quiet: [] };
  return JSON.parse(readFileSync(resultsFile, "utf8")) as Results;
}

function keep(results: Results): void {
  const names = [...new Set(results.cases.map((one) => familyOf(one.scenario)))].sort();
  results.rows = names.flatMap((name) => {
    const quiet = results.quiet.filter((one) => familyOf(one.scenario) === name);
    const sum = quiet.length
      ? {
          hours: quiet.reduce((all, one) => all + one.hours, 0),
          incidents: quiet.reduce((all, one) => all + one.incidents, 0),
        }
      : undefined;
    return rowsOf(
      results.cases.filter((one) => familyOf(one.scenario) === name).map((one) => one.score),
      name,
      sum,
    );
  });
  writeFileSync(resultsFile, `${JSON.stringify(results, undefined, 1)}\n`);
  // What the figures do not say is written by hand.
  const why = readFileSync(join(root, "bench", "drills", "why.md"), "utf8");
  writeFileSync(join(root, "docs", "verdicts.md"), `${verdictsPage(results)}${why}`);
}

const results = given.short ? { rows: [], cases: [], quiet: [] } : readResults();
/** The causes of a kept run anew, with their scores. */
function workOutAgain(folder: string): void {
  for (const file of scenarioFiles()) {
    const scenario = scenarioIn(file);
    const listener = new Listener(folder, new Map(scenario.sites.map((one) => [one.name, one.id])));
    for (const record of results.cases) {
      if (record.scenario !== basename(file, ".json") || record.seed !== 0) continue;
      const again = incidentsAgain(folder, listener, record, WATCHED_MS);
      if (!again) continue;
      record.said = { ...record.said, incidents: again.incidents };
      record.baselines = again.baselines;
      record.score = scoreCase(record.said, truthOf(scenario, record.id, record.startedAtMs));
      say(line(record));
    }
    listener.close();
  }
}

/** Scores what was said anew, by what is known of the world now. */
function scoreAgain(): void {
  for (const file of scenarioFiles()) {
    const scenario = scenarioIn(file);
    for (const record of results.cases)
      if (record.scenario === basename(file, ".json"))
        record.score = scoreCase(record.said, truthOf(ofSeed(scenario, record.seed), record.id, record.startedAtMs));
  }
}

if (given.write !== undefined) {
  mkdirSync(resolve(given.write), { recursive: true });
  for (const file of grownFiles(
    given.grown ?? refuse("--write writes grown estates: say which with --grown."),
    resolve(given.write),
  ))
    say(file);
  process.exit(0);
}
if (given.again) workOutAgain(resolve(given.again));
else if (given.page) scoreAgain();
if (given.page || given.again) keep(results);
else
  for (const file of scenarioFiles())
    for (const seed of seeds)
      for (const load of loads) {
        const name = basename(file, ".json");
        say(`${name}, seed ${seed}, from ${beginOf(load)}`);
        const same = (one: { scenario: string; seed: number; load: number }) =>
          one.scenario === name && one.seed === seed && one.load === load;
        const quiet = await runEstate(file, seed, load, (record) => {
          results.cases = [...results.cases.filter((one) => !(same(one) && one.id === record.id)), record];
          if (!given.short) keep(results);
        });
        if (quiet) {
          results.quiet = [...results.quiet.filter((one) => !same(one)), { scenario: name, seed, load, ...quiet }];
          say(`  quiet: ${quiet.incidents} incidents in ${quiet.hours.toFixed(1)} h`);
        }
        if (!given.short) keep(results);
      }
if (given.short) {
  const noticed = results.cases.filter((one) => one.score.hostRanks.length && one.score.incidents > 0).length;
  const repaired = results.cases.every((one) => one.repaired !== false);
  say(
    `${noticed} of ${results.cases.filter((one) => one.score.hostRanks.length).length} noticed, ${repaired ? "all" : "not all"} repaired`,
  );
  if (!repaired || noticed === 0) process.exitCode = 1;
}
