import { readFileSync } from "node:fs";
import snmp from "net-snmp";
import { afterEach, expect, it } from "vitest";
import { readScenario } from "#standins/scenario/read";
import { Estate } from "#standins/seen/estate";
import { Notifier } from "#standins/notifier";
import { until } from "./world";

const AT = Date.parse("2026-03-17T10:00:00Z");
let receiver: ReturnType<typeof snmp.createReceiver> | undefined;
afterEach(() => receiver?.close());

it("switches tell by SNMP when a link goes down and when it comes back", async () => {
  const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
  if (!read.ok) throw new Error(read.problems.join("\n"));
  const estate = new Estate(read.scenario, AT);
  const host = estate.host("td-sw-01");
  if (!host) throw new Error("no switch");
  const port = 21_162;
  const told: string[] = [];
  receiver = snmp.createReceiver(
    { port, disableAuthorization: true },
    (error: Error | null, received?: { pdu: object }) => {
      if (error || !received) return;
      const { varbinds } = received.pdu as { varbinds: { oid: string; value: unknown }[] };
      const of = (start: string) => varbinds.find((one) => one.oid.startsWith(start))?.value;
      told.push(`${String(of("1.3.6.1.6.3.1.1.4.1.0"))} ${String(of("1.3.6.1.2.1.2.2.1.2."))}`);
    },
  );
  const notifier = new Notifier([host], port, () => AT);
  notifier.look();
  const link = host.machine.wired[0]?.link;
  if (!link) throw new Error("no link");
  host.world.state.link.up[link.index] = 0;
  notifier.look();
  await until("the link is told of as down", () => told.includes("1.3.6.1.6.3.1.1.5.3 port1"));
  host.world.state.link.up[link.index] = 1;
  notifier.look();
  await until("the link is told of as up", () => told.includes("1.3.6.1.6.3.1.1.5.4 port1"));
  notifier.look();
  expect(told).toHaveLength(2);
});
