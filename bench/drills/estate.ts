import { spawn, type ChildProcess } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import ssh2 from "ssh2";
import { z } from "zod";
import type { Scenario, ScenarioRepair } from "#standins/scenario/schema";

const PORTS = { page: "7192", control: 7193, otlp: "4392", syslog: "5592" };

/** A real server with the stand-ins that it watches, on a clock that runs at a pace. */
export class WatchedEstate {
  private readonly demo: ChildProcess;

  constructor(
    root: string,
    readonly data: string,
    file: string,
    private readonly scenario: Scenario,
    from: string,
    private readonly pace: number,
    /** How much of the past is known when it begins. */
    history: string,
  ) {
    const given = {
      port: PORTS.page,
      "control-port": String(PORTS.control),
      "otlp-port": PORTS.otlp,
      "grpc-port": "0",
      "trap-port": "0",
      "syslog-port": PORTS.syslog,
      scenario: file,
      data,
      now: from,
      pace: String(pace),
      history,
    };
    const args = [
      join(root, "scripts", "demo.mjs"),
      ...Object.entries(given).flatMap(([name, value]) => [`--${name}`, value]),
    ];
    this.demo = spawn(process.execPath, args, { cwd: root, stdio: ["ignore", "ignore", "inherit"] });
  }

  async ready(): Promise<void> {
    for (;;) {
      if (this.demo.exitCode !== null) throw new Error("The server did not start.");
      const page = await fetch(`http://127.0.0.1:${PORTS.page}/sign-in`).catch(() => undefined);
      if (page?.ok) return;
      await this.wait(500);
    }
  }

  private wait(ms: number): Promise<void> {
    return new Promise((done) => setTimeout(done, ms));
  }

  /** Waits a span of the estate's time. */
  passes(ms: number): Promise<void> {
    return this.wait(ms / this.pace);
  }

  /** Waits a span of the machine's time. */
  settles(ms: number): Promise<void> {
    return this.wait(ms);
  }

  private async control(path: string, method = "GET"): Promise<unknown> {
    const answer = await fetch(`http://127.0.0.1:${PORTS.control}${path}`, {
      method,
      headers: { "x-standin-control": "1" },
      signal: AbortSignal.timeout(20_000),
    });
    if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`);
    return answer.json();
  }

  async now(): Promise<number> {
    return z.object({ atMs: z.number() }).parse(await this.control("/time")).atMs;
  }

  async start(drillId: string): Promise<void> {
    await this.control(`/drills/${drillId}/start`, "POST");
  }

  async isActive(drillId: string): Promise<boolean> {
    const drills = z.array(z.object({ id: z.string(), activeSinceMs: z.number().optional() }));
    return drills
      .parse(await this.control("/drills"))
      .some((one) => one.id === drillId && one.activeSinceMs !== undefined);
  }

  /** Ends whatever is left of a drill; one that is over already is none to end. */
  async end(drillId: string): Promise<void> {
    await this.control(`/drills/${drillId}/stop`, "POST").catch(() => undefined);
  }

  // --- repairs, over SSH as a runbook would

  /** @returns whether a command was accepted on one of the hosts that it could be given on */
  async repair(repair: ScenarioRepair): Promise<boolean> {
    for (const [host, command] of this.commandsOf(repair)) {
      const status = await this.exec(host, command).catch(() => -1);
      if (status === 0) return true;
    }
    return false;
  }

  private commandsOf(repair: ScenarioRepair): [string, string][] {
    switch (repair.do) {
      case "restart":
      case "stop":
        return [[repair.host, `service ${repair.process} ${repair.do}`]];
      case "rotate":
        return [[repair.host, `logrotate -f ${repair.mount}`]];
      case "roll-back":
        return [[repair.host, `release ${repair.process} back`]];
      case "set":
        return [[repair.host, `setting ${repair.process} ${repair.setting} default`]];
      case "renew-certificate":
        return [[repair.host, `certificate ${repair.process} renew`]];
      case "set-clock":
        return [[repair.host, "ntpd -gq"]];
      case "open":
        return [[repair.host, "firewall open"]];
      case "take-out":
        return [[repair.host, "rotation leave"]];
      case "quota":
        return [[repair.host, `container ${repair.container} quota default`]];
      case "replace-disk":
        return [[repair.host, `disk ${repair.mount} move`]];
      case "resize":
        return this.scenario.hosts.flatMap((one): [string, string][] =>
          one.name === repair.host && one.on !== undefined ? [[one.on, `size ${repair.host} default`]] : [],
        );
      case "pool":
        // By HTTP; a restart does as well.
        return [[repair.host, `service ${repair.process} restart`]];
      case "power-on":
        return this.switchesNear(repair.host).flatMap((one) => [[one, `power ${repair.host} on`]]);
      case "mend-link":
        if (repair.host !== undefined)
          return this.switchesNear(repair.host).flatMap((one) => [[one, `line ${repair.host} up`]]);
        return (repair.between ?? []).flatMap((site, place) =>
          this.switchesAt(site).map((one): [string, string] => [one, `line ${repair.between?.[1 - place]} up`]),
        );
    }
  }

  private switchesNear(host: string): string[] {
    return this.switchesAt(this.scenario.hosts.find((one) => one.name === host)?.site ?? "");
  }

  private switchesAt(site: string): string[] {
    return this.scenario.hosts
      .filter((one) => one.site === site && this.scenario.roles[one.role]?.system === "switch")
      .map(({ name }) => name);
  }

  private exec(host: string, command: string): Promise<number> {
    const address = this.scenario.hosts.find((one) => one.name === host)?.address;
    const client = new ssh2.Client();
    return new Promise<number>((resolve, reject) => {
      const late = setTimeout(() => reject(new Error("late")), 30_000);
      client.once("error", reject);
      client.once("close", () => clearTimeout(late));
      client.once("ready", () =>
        client.exec(command, (error, channel) => {
          if (error) return reject(error);
          channel.on("data", () => undefined);
          channel.stderr.on("data", () => undefined);
          channel.once("exit", (code: number) => resolve(code));
        }),
      );
      client.connect({
        host: address ?? "",
        port: this.scenario.sshPort,
        username: "operator",
        privateKey: readFileSync(join(this.data, "demo-key")),
        readyTimeout: 5000,
      });
    }).finally(() => client.end());
  }

  async close(): Promise<void> {
    if (this.demo.exitCode !== null) return;
    const gone = new Promise((done) => this.demo.once("exit", done));
    this.demo.kill("SIGTERM");
    await gone;
  }
}
