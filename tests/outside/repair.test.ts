import { execFileSync, spawn, spawnSync, type ChildProcess } from "node:child_process";
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import pg from "pg";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { layOut } from "#core/repair/lay-out";
import { runbookSchema } from "#core/repair/runbook";
import { SampleWriter } from "#server/ingest/sample-writer";
import { dryRun } from "#server/repair/dry-run";
import { layWorld } from "#server/repair/lay";
import { Runner } from "#server/repair/runner";
import type { RunnerWorld } from "#server/repair/world";
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
const HTTP = 18_924;
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
  make("web", "basic", { user: "operator" });
  const fingerprint = await readHostKey("127.0.0.1", SSH, 8000);
  approveHostKey(db, { address: "127.0.0.1", port: SSH, fingerprint, credentialId: key }, "Anna", START);
});

const secret = () => ({ user: "root", privateKey: readFileSync(join(folder, "user"), "utf8") });
const makeWorld = (): RunnerWorld => ({
  db,
  sampleWriter: new SampleWriter(db),
  now: () => START,
  sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
  machineMs: (ms) => ms,
  vault: {
    use: (one) =>
      ({
        ...one,
        fields:
          one.kind === "ssh-key" ? secret() : { user: "operator", password: one.kind === "basic" ? "let-me-in" : "" },
      }) as never,
    note: () => undefined,
  },
  emit: () => undefined,
  reportProblem: () => undefined,
  outputs: join(folder, "runs"),
});
const makeRunner = () => new Runner(makeWorld());
async function over(id: number) {
  const ends = Date.now() + 60_000;
  while (runById(db, id)?.state === "running" || runById(db, id)?.rollback === "running") {
    if (Date.now() > ends) throw new Error("The run does not end.");
    await new Promise((done) => setTimeout(done, 20));
  }
  return { id, run: runById(db, id), steps: stepsOfRun(db, id) };
}
const definitionOf = (steps: unknown[], args: Record<string, string>) =>
  runbookSchema.parse({
    uid: "mend",
    name: "Mend it",
    purpose: "Mends.",
    kinds: ["host.linux"],
    parameters: Object.keys(args).map((name) => ({ name, label: name, pattern: "[\\s\\S]*" })),
    steps,
  });
const dryRunOf = (steps: unknown[], args: Record<string, string>) => {
  const definition = definitionOf(steps, args);
  const laid = layOut(definition, target, args, layWorld(db, [target], START));
  return dryRun(makeWorld(), { run: { definition, laid, args } as never });
};
function start(steps: unknown[], args: Record<string, string> = {}, runner = makeRunner()) {
  const definition = definitionOf(steps, args);
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

describe("a real nginx", () => {
  const http = (path: string, more: object = {}) => ({
    type: "http",
    title: "Call",
    method: "GET",
    url: `http://127.0.0.1:${HTTP}${path}`,
    ...more,
  });
  beforeAll(async () => {
    const web = join(folder, "web");
    mkdirSync(web);
    chmodSync(web, 0o755);
    writeFileSync(join(web, "users"), `operator:{PLAIN}let-me-in\n`);
    writeFileSync(join(web, "guarded"), '{"welcome":true}');
    writeFileSync(join(web, "large"), "x".repeat(2 * 1024 * 1024));
    writeFileSync(
      join(web, "conf"),
      `daemon off; pid ${join(web, "pid")}; error_log ${join(web, "log")}; events {}
       http { access_log off; client_body_temp_path ${web}/1; proxy_temp_path ${web}/2; fastcgi_temp_path ${web}/3;
         uwsgi_temp_path ${web}/4; scgi_temp_path ${web}/5;
         server { listen 127.0.0.1:${HTTP}; root ${web};
           location = /state { default_type application/json; return 200 '{"pool":{"members":[{"name":"a","open":3}]}}'; }
           location = /guarded { auth_basic "here"; auth_basic_user_file ${join(web, "users")}; default_type application/json; }
           location = /elsewhere { return 302 http://127.0.0.1:${HTTP}/state; }
           location /pool/ { default_type application/json; return 200 '{"path":"$request_uri"}'; }
         } }`,
    );
    children.push(spawn("/usr/sbin/nginx", ["-c", join(web, "conf"), "-p", web], { stdio: "ignore" }));
    await answers(HTTP);
  }, 40_000);

  it("is asked, what it answers is checked, and values are taken out of it for the steps that follow", async () => {
    const { run: made, steps } = await run([
      http("/state", {
        expect: "status == 200 && body.pool.members.size() == 1",
        take: { member: "$.pool.members[0].name" },
      }),
      http("/pool/{{values.member}}", { expect: 'body.path == "/pool/a"' }),
    ]);
    expect([made?.state, made?.message, steps.map((one) => one.exit_code)]).toEqual(["passed", null, [200, 200]]);
  });
  it("is given an argument as one part of the address, whatever it says", async () => {
    const { run: made, steps } = await run([http("/pool/{{word}}")], { word: "/a b?x=1#y&z" });
    expect(made?.state).toBe("passed");
    expect(steps[0]?.output).toContain("/pool/%2Fa%20b%3Fx%3D1%23y%26z");
    // Servers take %2F for / when they make a path simpler: such an argument would leave its part all the same.
    for (const word of ["../state", "a/../../state", "..", "a\\..\\b"]) {
      const out = await run([http("/pool/{{word}}")], { word });
      expect(out.run?.message).toContain("would lead elsewhere");
    }
  });
  it("lets in with a credential of the vault only", async () => {
    expect((await run([http("/guarded")])).run?.message).toContain("It answered with status 401.");
    const { run: made, steps } = await run([http("/guarded", { credential: "web", expect: "body.welcome" })]);
    expect([made?.state, made?.message]).toEqual(["passed", null]);
    expect(JSON.stringify(steps)).not.toContain("let-me-in");
  });
  it("leads nowhere else, and may not fill the memory", async () => {
    expect((await run([http("/elsewhere")])).run?.state).toBe("failed");
    expect((await run([http("/large")])).run?.state).toBe("failed");
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
  describe("purged in portions", () => {
    beforeEach(() =>
      query(
        "DROP TABLE IF EXISTS entry; CREATE TABLE entry (at timestamptz); INSERT INTO entry SELECT now() - n * interval '1 hour' FROM generate_series(1, 250) n",
      ),
    );
    const purge = (more: object = {}) =>
      sql(
        "DELETE FROM entry WHERE ctid IN (SELECT ctid FROM entry WHERE at < now() - $1::interval ORDER BY at LIMIT 20)",
        {
          bind: ["{{age}}"],
          count: "SELECT count(*) FROM entry WHERE at < now() - $1::interval",
          mostRows: 20,
          portions: 100,
          ...more,
        },
      );
    const left = async () => Number((await query("SELECT count(*) FROM entry"))[0]?.count);

    it("is counted first, goes in transactions of bounded rows, and ends when nothing is left", async () => {
      const { run: made, steps } = await run([purge()], { age: "100 hours 30 minutes" });
      expect(made?.state).toBe("passed");
      expect(steps[0]?.output).toContain(": 150");
      expect(steps[0]?.output).toContain("150 rows in 9 portions, kept.");
      expect(await left()).toBe(100);
      const again = await run([purge()], { age: "100 hours 30 minutes" });
      expect(again.steps[0]?.output).toContain("There is nothing to do.");
    });
    it("does nothing where more was counted than may be, and keeps what it had when a portion fails", async () => {
      const many = await run([purge({ mostCounted: 100 })], { age: "100 hours 30 minutes" });
      expect(many.run?.message).toContain("150 rows were counted, more than 100, so nothing was done.");
      expect(await left()).toBe(250);
      const checked = await run([purge({ check: "SELECT count(*) > 200 FROM entry" })], {
        age: "100 hours 30 minutes",
      });
      expect(checked.run?.message).toMatch(/so it was taken back\. 40 rows of 2 portions before are kept\./);
      expect(await left()).toBe(210);
    });
    it("is counted by a dry run, which cannot write", async () => {
      const dry = async (step: object) => (await dryRunOf([step], { age: "100 hours 30 minutes" }))[0]?.now;
      expect(await dry(purge())).toBe("150 rows now");
      expect(await dry(purge({ mostCounted: 10 }))).toBe("150 rows now, more than 10: it would do nothing");
      expect(
        await dry(purge({ count: "WITH gone AS (DELETE FROM entry RETURNING 1) SELECT count(*) FROM gone" })),
      ).toMatch(/cannot execute SELECT in a read-only transaction/);
      expect(await left()).toBe(250);
    });
  });
});
