import { readFileSync } from "node:fs";
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, expect, it } from "vitest";
import { makeAdminDoor } from "./admin-door";
import { readScenario } from "./scenario/read";
import { Estate } from "./seen/estate";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("; "));
const { scenario } = read;
const servers: Server[] = [];
afterEach(() => {
  for (const one of servers.splice(0)) one.close();
});

/** The door of a host, with its clock; what it answers. */
async function doorOf(name: string) {
  const estate = new Estate(scenario, AT);
  const clock = { atMs: AT };
  const host = estate.host(name);
  if (!host) throw new Error(`There is no ${name}.`);
  const server = makeAdminDoor(estate, host, "key", () => clock.atMs);
  servers.push(server);
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const ask = async (method: string, path: string, body?: string, token = "key") => {
    const response = await fetch(`http://127.0.0.1:${(server.address() as AddressInfo).port}${path}`, {
      method,
      headers: { authorization: `Bearer ${token}` },
      ...(body === undefined ? {} : { body }),
    });
    return { status: response.status, body: (await response.json()) as Record<string, unknown> };
  };
  const later = (ms: number) => {
    clock.atMs += ms;
    return estate.world.advance(clock.atMs);
  };
  return { estate, host, ask, later };
}

it("has callers go elsewhere, and come back", async () => {
  const { host, ask, later } = await doorOf("nq-gate-app-01");
  const [station] = host.stations;
  if (!station) throw new Error("It runs nothing.");
  const share = () => later(5 * MINUTE).station.arrivals[station.index] as number;
  const before = share();
  expect((await ask("POST", "/drain")).body).toEqual({ takesRequests: false });
  const drained = share();
  expect(drained).toBeLessThan(before / 5);
  expect((await ask("GET", "/")).body).toMatchObject({ host: "nq-gate-app-01", takesRequests: false });
  await ask("POST", "/admit");
  expect(share()).toBeGreaterThan(before / 2);
});

it("takes a host out that was put in and is not whole", async () => {
  const { estate, ask, later } = await doorOf("nq-gate-web-02");
  estate.startDrill("scale-out-half", AT);
  later(MINUTE);
  await ask("POST", "/drain");
  later(MINUTE);
  expect(estate.activeSince("scale-out-half", AT + 2 * MINUTE + 1000)).toBeUndefined();
});

it("puts a pool of connections back without a restart", async () => {
  const { estate, host, ask, later } = await doorOf("nq-cus-app-01");
  estate.startDrill("pool-exhausted", AT);
  const started = () => later(0).station.startedAtMs[host.station("releaser")?.index ?? -1];
  later(3 * MINUTE);
  const before = started();
  const path = "/programs/releaser/pools/quaystore";
  expect((await ask("PUT", path, '{"connections":0}')).status).toBe(400);
  expect((await ask("PUT", "/programs/releaser/pools/nothing", "{}")).status).toBe(404);
  expect((await ask("PUT", path, '{"connections":"default"}')).body).toMatchObject({ changed: true });
  later(MINUTE);
  expect(estate.activeSince("pool-exhausted", AT + 4 * MINUTE)).toBeUndefined();
  expect(started()).toBe(before);
  expect((await ask("PUT", path, '{"connections":"default"}')).body).toMatchObject({ changed: false });
});

it("clears a cache, which fills again", async () => {
  const { ask, later } = await doorOf("nq-yard-cache-01");
  const cached = async () => (await ask("GET", "/")).body.cacheMiB as number;
  later(MINUTE);
  const before = await cached();
  expect(before).toBeGreaterThan(100);
  expect((await ask("DELETE", "/cache")).body).toEqual({ freedMiB: before });
  later(2 * MINUTE);
  expect(await cached()).toBeLessThan(before / 5);
  later(40 * MINUTE);
  expect(await cached()).toBeGreaterThan(before / 2);
});

it("lets nobody in without its token, and answers what it does not know with a sentence", async () => {
  const { estate, ask, later } = await doorOf("sq-cus-web-01");
  expect((await ask("POST", "/drain", undefined, "wrong")).status).toBe(401);
  expect((await ask("GET", "/")).body).toMatchObject({ takesRequests: true });
  expect((await ask("POST", "/%zz")).status).toBe(400);
  expect(await ask("POST", "/nothing")).toEqual({ status: 404, body: { error: "There is no such door." } });
  expect((await ask("POST", "/drain", "[")).status).toBe(400);
  expect((await ask("POST", "/drain", "x".repeat(20_000))).status).toBe(400);
  estate.startDrill("front-dark", AT);
  later(MINUTE);
  await expect(ask("GET", "/")).rejects.toThrow();
});
