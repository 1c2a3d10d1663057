import { spawn, type ChildProcess } from "node:child_process";
import { readFileSync } from "node:fs";
import { Agent, request } from "node:http";
import { join } from "node:path";

export interface Answer {
  status: number;
  text: string;
  headers: Record<string, string | string[] | undefined>;
  tookMs: number;
}

export interface Asked {
  path: string;
  method?: string;
  headers?: Record<string, string>;
  body?: Buffer | string;
  /** Address of ours that it comes from; limits are for each address. */
  from?: string;
}

/** A real server of ours, in a process of its own, and ways to ask it. */
export class Target {
  private child: ChildProcess | undefined;
  private said = "";
  private readonly agents = new Map<string, Agent>();
  /** Ends of the process that nobody asked for. */
  crashes = 0;
  /** Answers of 500, and what its log said of them. */
  faults: string[] = [];
  cookie = "";
  token = "";
  /** Token of the agent of the host fuzz-01. */
  agentToken = "";

  constructor(
    readonly root: string,
    readonly data: string,
    readonly port: number,
    readonly otlpPort: number,
    readonly syslogPort: number,
  ) {}

  /** Starts it; seconds until it is ready. */
  async start(): Promise<number> {
    const began = performance.now();
    this.said = "";
    const child = spawn(
      process.execPath,
      [
        "--enable-source-maps",
        "--max-old-space-size=512",
        join(this.root, "build", "run", "server", "main.js"),
        `--root=${this.root}`,
        `--data=${this.data}`,
        `--port=${this.port}`,
        `--otlp-port=${this.otlpPort}`,
        "--grpc-port=0",
        "--trap-port=0",
        `--syslog-port=${this.syslogPort}`,
      ],
      {
        cwd: this.root,
        stdio: ["ignore", "pipe", "pipe"],
        env: { ...process.env, NODE_ENV: "production", LOG_LEVEL: "error" },
      },
    );
    this.child = child;
    child.stdout.on("data", (part: Buffer) => (this.said += part.toString()));
    child.stderr.on("data", (part: Buffer) => {
      for (const line of part.toString().split("\n"))
        if (line.includes('"level":50') || line.includes('"level":60')) this.faults.push(line.slice(0, 2000));
    });
    child.on("exit", () => {
      if (this.child === child) this.crashes++;
    });
    const end = Date.now() + 60_000;
    while (!this.said.includes("ready after")) {
      if (child.exitCode !== null || Date.now() > end) throw new Error(`The server did not start: ${this.said}`);
      await new Promise((done) => setTimeout(done, 20));
    }
    return (performance.now() - began) / 1000;
  }

  /** Makes the first administrator, a token for sending, and remembers both. */
  async settle(): Promise<void> {
    const first = /code=(\S+)/.exec(this.said)?.[1] ?? "";
    const join = await this.form(`/join?code=${first}`, {
      name: "Hostile Tester",
      signIn: "tester",
      password: "grey heron over the slipway",
    });
    this.cookie = String(join.headers["set-cookie"]).split(";")[0] ?? "";
    const made = await this.form("/setup/tokens", {
      what: "create",
      name: "fuzzer",
      kind: "send",
      senders: "*",
      days: "30",
      metrics: "on",
      logs: "on",
      traces: "on",
      events: "on",
    });
    this.token = /hx-token-[\w-]+/.exec(made.text)?.[0] ?? "";
    const enrolment = await this.form("/setup/tokens", { what: "enrol", hosts: "1", days: "30" });
    const code = /\bhx-enrol-[\w-]+/.exec(enrolment.text)?.[0] ?? "";
    const enrolled = await this.deliver({ path: "/enrol", body: JSON.stringify({ code, hostName: "fuzz-01" }) });
    this.agentToken = /hx-[\w-]+/.exec(enrolled.text)?.[0] ?? "";
    if (!this.cookie || !this.token || !this.agentToken)
      throw new Error(`Nobody came in: ${join.status}, ${made.status}.`);
  }

  form(path: string, fields: Record<string, string>, from?: string): Promise<Answer> {
    return this.ask({
      path,
      method: "POST",
      headers: { "content-type": "application/x-www-form-urlencoded" },
      body: new URLSearchParams(fields).toString(),
      ...(from ? { from } : {}),
    });
  }

  /** Asks the pages. */
  ask(asked: Asked): Promise<Answer> {
    return this.send(this.port, { ...asked, headers: { cookie: this.cookie, ...asked.headers } });
  }

  /** Sends to the receivers. */
  deliver(asked: Asked): Promise<Answer> {
    const headers = { authorization: `Bearer ${this.token}`, ...asked.headers };
    return this.send(this.otlpPort, { method: "POST", ...asked, headers });
  }

  private send(port: number, { path, method = "GET", headers = {}, body, from = "127.0.0.1" }: Asked): Promise<Answer> {
    const began = performance.now();
    let agent = this.agents.get(from);
    if (!agent) this.agents.set(from, (agent = new Agent({ keepAlive: true, maxSockets: 8, localAddress: from })));
    return new Promise((done) => {
      const fail = () => done({ status: 0, text: "", headers: {}, tookMs: performance.now() - began });
      try {
        const length = body === undefined ? {} : { "content-length": String(Buffer.byteLength(body)) };
        const asked = request(
          { port, host: "127.0.0.1", path, method, headers: { ...length, ...headers }, agent, timeout: 30_000 },
          (response) => {
            // A line that stays open says all that is to be known by its head.
            if (response.headers["content-type"]?.startsWith("text/event-stream")) {
              done({
                status: response.statusCode ?? 0,
                text: "",
                headers: response.headers,
                tookMs: performance.now() - began,
              });
              return void response.destroy();
            }
            const parts: Buffer[] = [];
            response.on("data", (part: Buffer) => parts.push(part));
            response.on("error", fail);
            response.on("end", () => {
              const text = Buffer.concat(parts).toString("utf8");
              const status = response.statusCode ?? 0;
              if (status >= 500 && status !== 503)
                this.faults.push(`${method} ${path.slice(0, 300)}: ${status} ${text.slice(0, 300)}`);
              done({ status, text, headers: response.headers, tookMs: performance.now() - began });
            });
          },
        );
        asked.on("timeout", () => asked.destroy());
        asked.on("error", fail);
        asked.end(body);
      } catch {
        // Node.js itself does not send such a thing.
        fail();
      }
    });
  }

  /** Resident memory, MB. */
  get residentMb(): number {
    return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${this.child?.pid}/status`, "utf8"))?.[1] ?? 0) / 1024;
  }

  kill(): Promise<void> {
    const { child } = this;
    this.child = undefined;
    for (const agent of this.agents.values()) agent.destroy();
    this.agents.clear();
    return new Promise((done) => {
      if (!child || child.exitCode !== null || child.signalCode !== null) return done();
      child.once("exit", () => done());
      child.kill("SIGKILL");
    });
  }
}
