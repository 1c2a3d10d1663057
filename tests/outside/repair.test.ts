import { execFileSync, spawn, spawnSync, type ChildProcess } from "node:child_process";
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";
import pg from "pg";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { layOut } from "#core/repair/lay-out";
import { runbookSchema } from "#core/repair/runbook";
import { SampleWriter } from "#server/ingest/sample-writer";
import { layWorld } from "#server/repair/lay";
import { Runner } from "#server/repair/runner";
import { insertCredential } from "#server/store/credentials";
import type { Db } from "#server/store/database";
import { insertComponent } from "#server/store/estate";
import { approveHostKey } from "#server/store/host-keys";
import { outputFile } from "#server/store/run-outputs";
import { addVersion } from "#server/store/runbooks";
import { runById, stepsOfRun } from "#server/store/runs";
import { readHostKey } from "#server/outside/ssh";
import { useStore } from "../store";

// Commands and scripts through Debian's own sshd, statements through its PostgreSQL: what is given reaches them as it is,
// and what must not happen is taken back by them.

const SSH = 18_922;
const SQL = 18_923;
const START = Date.parse("2026-03-17T10:00:00Z");
const BIN = "/usr/lib/postgresql/15/bin";
/** Below /tmp: the database's user must get there. */
const folder = mkdtempSync("/tmp/holotaxis-repair-");
const children: ChildProcess[] = [];
let sshd: ChildProcess;
let db: Db;
let count = 0;
useStore((made) => (db = made));

const exec = (file: string, ...args: string[]) => execFileSync(file, args, { encoding: "utf8" });
async function answers(port: number): Promise<void> {
  const ends = Date.now() + 30_000;
  for (;;) {
    const up = spawnSync("bash", ["-c", `exec 3<>/dev/tcp/127.0.0.1/${port}`]).status === 0;
    if (up) return;
    if (Date.now() > ends) throw new Error(`Nothing answers at port ${port}.`);
    await new Promise((done) => setTimeout(done, 100));
  }
}
function startSshd(key: string): void {
  exec("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", join(folder, key));
  const options = [
    `HostKey=${join(folder, key)}`,
    `AuthorizedKeysFile=${join(folder, "user.pub")}`,
    "StrictModes=no",
    "PidFile=none",
  ];
  const more = [
    "UsePAM=no",
    "PermitRootLogin=yes",
    "Subsystem=sftp internal-sftp",
    "ListenAddress=127.0.0.1",
    `Port=${SSH}`,
  ];
  mkdirSync("/run/sshd", { recursive: true });
  sshd = spawn(
    "/usr/sbin/sshd",
    ["-D", "-e", "-f", "/dev/null", ...[...options, ...more].flatMap((one) => ["-o", one])],
    {
      stdio: "ignore",
    },
  );
  children.push(sshd);
}
const asPostgres = ["--reuid=postgres", "--regid=postgres", "--clear-groups"];

beforeAll(async () => {
  chmodSync(folder, 0o755);
  exec("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", join(folder, "user"));
  startSshd("host");
  const data = join(folder, "pg");
  mkdirSync(data);
  exec("chown", "postgres", data);
  chmodSync(data, 0o700);
  exec("setpriv", ...asPostgres, `${BIN}/initdb`, "-D", data, "-A", "trust", "-U", "operator");
  children.push(
    spawn(
      "setpriv",
      [
        ...asPostgres,
        `${BIN}/postgres`,
        "-D",
        data,
        "-p",
        String(SQL),
        "-c",
        "listen_addresses=127.0.0.1",
        "-c",
        "unix_socket_directories=",
      ],
      { stdio: "ignore" },
    ),
  );
  await answers(SSH);
  await answers(SQL);
}, 90_000);
afterAll(() => {
  for (const child of children) child.kill("SIGTERM");
  rmSync(folder, { recursive: true, force: true });
});

async function query(text: string): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ host: "127.0.0.1", port: SQL, user: "operator", database: "postgres" });
  await client.connect();
  try {
    return (await client.query(text)).rows as Record<string, unknown>[];
  } finally {
    await client.end();
  }
}

let target: number;
beforeEach(async () => {
  db.exec(
    "DELETE FROM run; DELETE FROM runbook; DELETE FROM host_key; DELETE FROM component_key; DELETE FROM component; DELETE FROM credential",
  );
  target = insertComponent(
    db,
    {
      kind: "host.linux",
      name: "here",
      site: "Room",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${count++}`],
      facts: { "ssh port": String(SSH) },
    },
    START - 1000,
  );
  const make = (name: string, kind: string, about: Record<string, string>) =>
    insertCredential(
      db,
      { name, kind, about, destinations: "127.0.0.1", sealed: "v1", madeBy: "Anna", isOwn: false },
      START,
    );
  const key = make("key", "ssh-key", { user: "root" });
  make("base", "database-user", { user: "operator" });
  const fingerprint = await readHostKey("127.0.0.1", SSH, 8000);
  approveHostKey(db, { address: "127.0.0.1", port: SSH, fingerprint, credentialId: key }, "Anna", START);
});

const secret = () => ({ user: "root", privateKey: readFileSync(join(folder, "user"), "utf8") });
const makeRunner = () =>
  new Runner({
    db,
    sampleWriter: new SampleWriter(db),
    now: () => START,
    sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
    machineMs: (ms) => ms,
    vault: {
      use: (one) =>
        ({ ...one, fields: one.kind === "ssh-key" ? secret() : { user: "operator", password: "" } }) as never,
      note: () => undefined,
    },
    emit: () => undefined,
    reportProblem: () => undefined,
    outputs: join(folder, "runs"),
  });
async function over(id: number) {
  const ends = Date.now() + 60_000;
  while (runById(db, id)?.state === "running" || runById(db, id)?.rollback === "running") {
    if (Date.now() > ends) throw new Error("The run does not end.");
    await new Promise((done) => setTimeout(done, 20));
  }
  return { id, run: runById(db, id), steps: stepsOfRun(db, id) };
}
function start(steps: unknown[], args: Record<string, string> = {}, runner = makeRunner()) {
  const definition = runbookSchema.parse({
    uid: "mend",
    name: "Mend it",
    purpose: "Mends.",
    kinds: ["host.linux"],
    parameters: Object.keys(args).map((name) => ({ name, label: name, pattern: "[\\s\\S]*" })),
    steps,
  });
  const { id: runbookId, version } = addVersion(db, definition, {
    state: "approved",
    remark: "",
    by: "Anna",
    atMs: START,
  });
  const laid = layOut(definition, target, args, layWorld(db, [target], START));
  const common = { incidentId: null, policyId: null, by: "Anna", rulings: [], watched: [] };
  return runner.start({ runbookId, version, definition, componentId: target, laid, args, ...common });
}
const run = (steps: unknown[], args?: Record<string, string>) => over(start(steps, args));
const NASTY = `it's "$(touch ${folder}/pwned)" \`id\` ; rm -rf x | cat > y && {{other}} \\ ü\n*`;

describe("a real sshd", () => {
  it("hands a program every word exactly as it was given, and expands none", async () => {
    const { run: made, steps } = await run(
      [{ type: "command", title: "Print", argv: ["printf", "[%s]", "{{word}}"] }],
      {
        word: NASTY,
      },
    );
    expect(made?.state).toBe("passed");
    expect(steps[0]?.output).toBe(`[${NASTY}]`);
    expect(readdirSync(folder)).not.toContain("pwned");
  });
  it("runs an uploaded script with its arguments, and nothing of it is left", async () => {
    const { run: made, steps } = await run(
      [
        {
          type: "script",
          title: "Script",
          text: '#!/bin/sh\nprintf "%s in %s" "$1" "$0"\nexit 3\n',
          args: ["{{word}}"],
          accept: [3],
        },
      ],
      { word: NASTY },
    );
    expect(made?.message).toBeNull();
    expect(steps[0]?.output).toContain(`${NASTY} in /tmp/holotaxis-`);
    expect(steps[0]?.command).toMatch(/# SHA-256 [0-9a-f]{64}$/);
    expect(readdirSync("/tmp").filter((name) => /^holotaxis-[0-9a-f]{24}$/.test(name))).toEqual([]);
  });
  it("is asked once for a run of several commands, and cut in the middle of one is said to have been", async () => {
    const id = start([
      { type: "command", title: "First", argv: ["true"] },
      { type: "command", title: "Long", argv: ["sleep", "30"] },
    ]);
    while (stepsOfRun(db, id)[1]?.command === null) await new Promise((done) => setTimeout(done, 20));
    await new Promise((done) => setTimeout(done, 300));
    const sessions = exec("pgrep", "-P", String(sshd.pid)).trim().split("\n");
    expect(sessions).toHaveLength(1);
    spawnSync("pkill", ["-KILL", "-P", String(sshd.pid)]);
    const { run: made } = await over(id);
    expect(made?.message).toContain("The host closed the connection before the command ended.");
  });
  it("that ends late is left in time", async () => {
    const { run: made } = await run([{ type: "command", title: "Long", argv: ["sleep", "60"], timeoutSeconds: 1 }]);
    expect(made?.message).toContain("No end after 4 s, so the connection was closed.");
  });
  it("may print gigabytes: so much is kept here, so much in a file, the rest is counted", async () => {
    const before = process.memoryUsage().rss;
    const {
      id,
      run: made,
      steps,
    } = await run([
      { type: "command", title: "Much", argv: ["head", "-c", "120000000", "/dev/zero"], timeoutSeconds: 60 },
    ]);
    expect(made?.state).toBe("passed");
    expect(steps[0]?.output.length).toBe(65_536);
    expect(steps[0]?.left_out).toBe(120_000_000 - 65_536);
    expect(statSync(outputFile(join(folder, "runs"), id, 0)).size).toBe(32 * 1024 * 1024);
    expect(process.memoryUsage().rss - before).toBeLessThan(400 * 1024 * 1024);
  });
  it("whose key changed is not spoken to", async () => {
    sshd.kill("SIGKILL");
    startSshd("other");
    await answers(SSH);
    const { run: made } = await run([{ type: "command", title: "Print", argv: ["true"] }]);
    expect(made?.message).toContain("is not the one met before");
  });
});

describe("a real PostgreSQL", () => {
  const sql = (statement: string, more: object = {}) => ({
    type: "sql",
    title: "Statement",
    credential: "base",
    database: "postgres",
    port: SQL,
    statement,
    ...more,
  });
  beforeEach(() =>
    query("DROP TABLE IF EXISTS thing; CREATE TABLE thing (name text); INSERT INTO thing VALUES ('a'), ('b'), ('c')"),
  );
  const names = async () => (await query("SELECT name FROM thing ORDER BY name")).map((row) => row.name);

  it("is given what is bound as a value, whatever it says", async () => {
    const nasty = "x'); DROP TABLE thing; --";
    const { run: made, steps } = await run([sql("INSERT INTO thing VALUES ($1)", { bind: ["{{word}}"] })], {
      word: nasty,
    });
    expect([made?.state, steps[0]?.exit_code]).toEqual(["passed", 1]);
    expect(await names()).toEqual(["a", "b", "c", nasty]);
  });
  it("takes back what touched more rows than it may, and what its check does not hold of", async () => {
    const many = await run([sql("DELETE FROM thing", { mostRows: 2 })]);
    expect(many.run?.message).toContain("It touched 3 rows, more than 2, and was taken back.");
    const unchecked = await run([
      sql("DELETE FROM thing WHERE name = $1", { bind: ["a"], check: "SELECT count(*) >= 3 FROM thing" }),
    ]);
    expect(unchecked.run?.message).toContain("The check does not hold, so it was taken back.");
    expect(await names()).toEqual(["a", "b", "c"]);
  });
  it("runs one statement only", async () => {
    const { run: made } = await run([sql("DELETE FROM thing; DROP TABLE thing", { bind: ["x"] })]);
    expect(made?.message).toContain("Nothing was kept.");
    const alone = await run([sql("COMMIT; DROP TABLE thing")]);
    expect(alone.run?.message).toContain("Nothing was kept.");
    expect(await names()).toHaveLength(3);
  });
  it("is left in time, and says itself what is wrong", async () => {
    const late = await run([sql("SELECT pg_sleep(30)", { timeoutSeconds: 1 })]);
    expect(late.run?.message).toMatch(/timeout/i);
    const wrong = await run([sql("SELEC 1")]);
    expect(wrong.run?.message).toContain('syntax error at or near "SELEC"');
  });
  it("is as before when a run is rolled back", async () => {
    const { run: made } = await run([
      sql("INSERT INTO thing VALUES ('new')", {
        undo: {
          type: "sql",
          credential: "base",
          database: "postgres",
          port: SQL,
          statement: "DELETE FROM thing WHERE name = 'new'",
        },
      }),
      sql("SELEC 1", { onFailure: "rollback" }),
    ]);
    expect(made).toMatchObject({ state: "failed", rollback: "passed" });
    expect(await names()).toEqual(["a", "b", "c"]);
  });
});
