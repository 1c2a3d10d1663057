import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Engine } from "#server/engine/engine";
import { act, makeWorld, until, type SmallScenario } from "./world";

let world: Awaited<ReturnType<typeof makeWorld>>;
let engine: Engine;
const NET = 6;

/** Two hypervisors: the web host is a machine of the first, and so is one at an address that no source covers. */
function virtual(scenario: SmallScenario): void {
  scenario.roles.machines = { system: "hypervisor", rhythm: "flat", cores: 8, memoryGiB: 32, cpu: [3, 3] };
  const web = scenario.hosts.find((host) => host.name === "t-web-01");
  if (!web) throw new Error("no web host");
  web.on = "t-virt-01";
  scenario.hosts.unshift(
    { name: "t-virt-01", role: "machines", site: "room", address: `127.21.${NET}.5` },
    { name: "t-virt-02", role: "machines", site: "room", address: `127.21.${NET}.6` },
  );
  scenario.hosts.push({ name: "t-lab-01", role: "web", site: "room", address: `127.21.${NET}.40`, on: "t-virt-01" });
}

beforeAll(async () => {
  world = await makeWorld({ pace: 1, net: NET, control: 17_076, alter: virtual });
  engine = world.openEngine();
  await engine.prepare(() => undefined);
});
afterAll(async () => {
  await engine.close();
  await world.end();
});

const all = () =>
  world.ask("estate", {
    atMs: world.now(),
    search: "",
    kind: "",
    site: "",
    health: "",
    sort: "name",
    descending: false,
    page: 0,
    pageSize: 50,
  }).rows;
const idOf = (name: string) => {
  const found = all().find((row) => row.name === name);
  if (!found) throw new Error(`no component ${name}`);
  return found.id;
};
const page = (name: string) => {
  const found = world.ask("component", {
    id: idOf(name),
    atMs: world.now(),
    fromMs: world.now() - 3 * 3_600_000,
    toMs: world.now(),
  });
  if (!found) throw new Error(`no page of ${name}`);
  return found;
};
const move = (name: string, to: string) => {
  const host = world.estate.host(name);
  const below = world.estate.host(to);
  if (!host || !below) throw new Error("no such host");
  host.machine.below?.guests.splice(host.machine.below.guests.indexOf(host.machine), 1);
  host.machine.below = below.machine;
  below.machine.guests.push(host.machine);
};

describe("virtual machines, told of by their hypervisor (RFC 7666)", () => {
  it("are found as what they are: the hosts that were read, and those that no source reaches", () => {
    const machines = all().filter((row) => row.kind.startsWith("host."));
    expect(machines.map((row) => [row.name, row.kind])).toEqual([
      ["t-db-01", "host.linux"],
      ["t-lab-01", "host.guest"],
      ["t-virt-01", "host.hypervisor"],
      ["t-virt-02", "host.hypervisor"],
      ["t-web-01", "host.linux"],
    ]);
    expect(page("t-lab-01").facts.find((fact) => fact.name === "state")?.value).toBe("running");
  });

  it("show what carries them at the same instant, from the process down", () => {
    const process = page("shopfront @ t-web-01");
    expect(process.carriers.map(({ name, how }) => [name, how])).toEqual([
      ["t-web-01", "runs on"],
      ["t-virt-01", "hosted by"],
    ]);
    const hypervisor = process.carriers[1];
    expect(hypervisor?.charts.map((chart) => chart.metric)).toEqual(["cpu.used", "memory.used", "cpu.allotted"]);
    for (const chart of hypervisor?.charts ?? [])
      expect(chart).toMatchObject({ fromMs: process.charts[0]?.fromMs, toMs: process.charts[0]?.toMs });
    expect(hypervisor?.charts[0]?.legend.count).toBeGreaterThan(30);
    expect(page("t-db-01").carriers).toEqual([]);
  });

  it("are listed by the hypervisor with what they take of it", () => {
    const { guests, charts } = page("t-virt-01");
    expect(guests.map((guest) => guest.name).sort()).toEqual(["t-lab-01", "t-web-01"]);
    const web = guests.find((guest) => guest.name === "t-web-01");
    expect(web).toMatchObject({ running: true, processors: 2, memoryBytes: 4 * 1024 ** 3 });
    expect(web?.processorsUsed).toBeCloseTo((2 * (web?.usedPercent ?? 0)) / 100, 6);
    expect(web?.ownPercent).not.toBeNull();
    expect(guests.find((guest) => guest.name === "t-lab-01")?.ownPercent).toBeNull();
    // Two machines of two processors each on eight.
    expect(charts.find((chart) => chart.metric === "cpu.allotted")?.legend.last).toBe(50);
  });

  it("make the service rely on the hypervisor", () => {
    const service = world.ask("service", {
      uid: "orders",
      atMs: world.now(),
      fromMs: world.now() - 3_600_000,
      toMs: world.now(),
    });
    expect(service?.members.map((member) => member.name)).toContain("t-virt-01");
    const signals = world.ask("serviceSignals", { uid: "orders", fromMs: world.now() - 3_600_000, toMs: world.now() });
    expect(signals.find((one) => one.metric === "cpu.used")?.lines.map((line) => line.label)).toEqual(
      expect.arrayContaining(["CPU usage · t-virt-01", "CPU usage · t-web-01"]),
    );
  });

  it("stay in the estate while their hypervisor says they run, though they do not answer", async () => {
    const host = world.estate.host("t-web-01");
    if (!host) throw new Error("no host");
    // Its own agent falls silent, its ports stay open; the hypervisor goes on telling of it.
    const answers = host.answers.bind(host);
    const openListeners = host.openListeners.bind(host);
    const open = host.openListeners(world.now());
    host.openListeners = () => open;
    const rows = world.estate.host("t-virt-01")?.guestRows(world.now()) ?? [];
    host.answers = () => false;
    const below = world.estate.host("t-virt-01");
    if (!below) throw new Error("no hypervisor");
    const told = below.guestRows.bind(below);
    below.guestRows = () => rows;
    await act(engine, "sweep.start", { sourceId: 1, wait: true });
    await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(all().map((row) => row.name)).toEqual(expect.arrayContaining(["t-web-01", "shopfront @ t-web-01"]));
    host.answers = answers;
    host.openListeners = openListeners;
    below.guestRows = told;
  });

  it("keep their history when they move to another hypervisor", async () => {
    const before = idOf("t-web-01");
    move("t-web-01", "t-virt-02");
    await until("the agents tell anew", () => new Promise((resolve) => setTimeout(() => resolve(true), 300)));
    await act(engine, "sweep.start", { sourceId: 1, wait: true });
    expect(idOf("t-web-01")).toBe(before);
    const moved = page("t-web-01");
    expect(moved.carriers.map((carrier) => carrier.name)).toEqual(["t-virt-02"]);
    expect(moved.changes.map((change) => change.summary)).toContain("t-web-01 moved from t-virt-01 to t-virt-02");
    expect(page("t-virt-01").guests.map((guest) => guest.name)).toEqual(["t-lab-01"]);
  });

  it("become hosts once a source reaches them, without a twin", async () => {
    await act(engine, "source.save", {
      id: 1,
      fields: {
        name: "Room",
        site: "Room",
        ranges: `127.21.${NET}.1-20, 127.21.${NET}.40`,
        ports: "12222, 18080, 5432, 12525",
        snmpPort: 11_161,
        community: "test-room",
        pollSeconds: 15,
      },
    });
    await act(engine, "sweep.start", { sourceId: 1, wait: true });
    const labs = all().filter((row) => row.name === "t-lab-01");
    expect(labs.map((row) => row.kind)).toEqual(["host.linux"]);
    const lab = page("t-lab-01");
    expect(lab.carriers.map((carrier) => carrier.name)).toEqual(["t-virt-01"]);
    expect(lab.changes.map((change) => change.summary)).toContainEqual(
      expect.stringMatching(/^t-lab-01 is the virtual machine t-lab-01 on t-virt-01: same hardware address/),
    );
  });
});
