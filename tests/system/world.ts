import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { machineSpanMs, readClock, type ClockSetting } from "#core/time/clock";
import { RIGHTS } from "#core/people/rights";
import { itself } from "#server/people/principal";
import type { CommandInput, CommandName } from "#server/commands/registry";
import { Engine } from "#server/engine/engine";
import type { LiveEvent } from "#server/events";
import { questions, type Answer, type Asked, type QuestionName } from "#server/pages/registry";
import { storeFile } from "#server/settings";
import { openStore } from "#server/store/database";
import { startControl } from "#standins/control";
import { makeKeyPair } from "#standins/keys.mjs";
import { CallBox, Mailbox } from "#standins/mailbox";
import { Estate } from "#standins/seen/estate";
import type { HostView } from "#standins/seen/host-view";
import { readScenario } from "#standins/scenario/read";
import type { Scenario } from "#standins/scenario/schema";
import { startAgent } from "#standins/snmp-agent";
import { makeSshServer } from "#standins/ssh-server";
import { HostListeners } from "#standins/tcp-listeners";
import { settingsAt } from "../settings";

const START = Date.parse("2026-03-17T10:00:00Z");

/** As much of the small estate's file as tests change. */
export interface SmallScenario {
  roles: Record<string, unknown>;
  hosts: { name: string; on?: string; [field: string]: unknown }[];
  faults: unknown[];
}

/** The small estate on real sockets, and an engine that watches it, on one fast clock. */
export async function makeWorld({
  pace,
  net,
  control,
  alter,
}: {
  pace: number;
  net: number;
  control: number;
  alter?: (scenario: SmallScenario) => void;
}) {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const text = readFileSync(new URL("../fixtures/small-scenario.json", import.meta.url), "utf8").replaceAll(
    "127.21.1.",
    `127.21.${net}.`,
  );
  const json = JSON.parse(text) as SmallScenario;
  alter?.(json);
  const read = readScenario(json);
  if (!read.ok) throw new Error(read.problems.join("\n"));
  const scenario: Scenario = read.scenario;
  let clock: ClockSetting = { baseMs: START, machineMs: Date.now(), pace };
  const now = () => readClock(clock, Date.now());
  const estate = new Estate(scenario, START);
  const demo = makeKeyPair();
  const keyFile = join(folder, "key");
  writeFileSync(keyFile, demo.private, { mode: 0o600 });

  const listeners = new Map<HostView, HostListeners>();
  const agents: { close(): void }[] = [];
  for (const host of estate.hosts) {
    agents.push(await startAgent(host, scenario.snmpPort, now));
    const server =
      host.role.system === "linux"
        ? makeSshServer(estate, host, {
            hostKey: makeKeyPair().private,
            demoKey: demo.public,
            now,
            sleep: (ms) => new Promise((resolve) => setTimeout(resolve, machineSpanMs(clock, ms))),
            onEffect: (changed) => void listeners.get(changed)?.follow(),
          })
        : undefined;
    const own = new HostListeners(estate, host, now, server && { port: scenario.sshPort, server });
    listeners.set(host, own);
    await own.follow();
  }
  const follow = async () => {
    for (const one of listeners.values()) await one.follow();
  };
  // As the stand-ins do: what runs changes by itself.
  const pulse = setInterval(() => void follow(), 300);
  const door = await startControl(estate, {
    mailbox: new Mailbox(now),
    calls: new CallBox(now),
    port: control,
    now,
    setClock: (setting) => (clock = setting),
    onEffect: () => void follow(),
  });

  const setup = join(folder, "setup.json");
  writeFileSync(
    setup,
    JSON.stringify({
      organisation: "Test estate",
      sources: [
        {
          name: "Room",
          site: "Room",
          ranges: `127.21.${net}.1-20`,
          ports: "12222, 18080, 5432, 12525",
          snmpPort: scenario.snmpPort,
          community: "test-room",
          pollSeconds: 15,
        },
      ],
      credentials: [
        {
          name: "Operator key",
          kind: "ssh-key",
          destinations: `127.21.${net}.0/24`,
          fields: { user: "operator" },
          files: { privateKey: keyFile },
          sources: ["*"],
        },
      ],
      services: [
        {
          uid: "orders",
          name: "Orders",
          purpose: "",
          owner: "",
          entries: [{ host: "t-web-*", process: "shopfront" }],
          figure: {
            url: `http://127.21.${net}.11:18080/metrics`,
            metric: "orders_per_hour",
            label: "orders",
            unit: "1/h",
          },
        },
      ],
    }),
  );
  const settings = settingsAt(folder, {
    clock,
    clockSet: true,
    standins: `http://127.0.0.1:${control}`,
    setup,
    historyMs: 6 * 3_600_000,
  });
  const events: LiveEvent[] = [];
  const openEngine = () => new Engine({ ...settings, clock }, (event) => events.push(event));

  return {
    folder,
    scenario,
    estate,
    settings,
    events,
    now,
    openEngine,
    /** Asks the store as a page does, on a connection of its own. */
    ask<Name extends QuestionName>(name: Name, asked: Asked<Name>): Answer<Name> {
      const db = openStore(storeFile(settings), "reader");
      try {
        return (questions[name] as (db: unknown, asked: unknown) => Answer<Name>)(db, asked);
      } finally {
        db.close();
      }
    },
    /** Waits until a host answers, or no longer does: a drill takes effect with the next second. */
    async hostAnswers(name: string, answers: boolean) {
      await until(`${name} ${answers ? "answers" : "is silent"}`, () => estate.host(name)?.answers(now()) === answers);
      await follow();
    },
    async end() {
      clearInterval(pulse);
      door.close();
      door.closeAllConnections();
      for (const agent of agents) agent.close();
      for (const one of listeners.values()) one.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Waits until something is so; fails with a sentence when it does not come about. */
export async function until<T>(
  what: string,
  look: () => T,
  timeoutMs = 45_000,
): Promise<Exclude<Awaited<T>, undefined | false | null>> {
  const end = Date.now() + timeoutMs;
  for (;;) {
    const found = await look();
    if (found) return found as Exclude<Awaited<T>, undefined | false | null>;
    if (Date.now() > end) throw new Error(`Waited in vain: ${what}.`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Whoever runs the tests, with every right. */
export const TESTER = itself("Test", "test", RIGHTS);

/** Has a command carried out, as a person would. */
export const act = <Name extends CommandName>(engine: Engine, name: Name, input: CommandInput<Name>) =>
  engine.command(TESTER, name, input);
