import { beforeEach, expect, it, vi } from "vitest";
import { readProcesses } from "./snmp";
import { v2c } from "./snmp-access";

type Answer = (error: Error | null, bindings?: { oid: string; value: unknown; type: number }[][]) => void;
const agent = vi.hoisted(() => ({ rows: (_oid: string): { oid: string; value: unknown }[] => [], asked: 0 }));
vi.mock("net-snmp", () => ({
  default: {
    Version2c: 1,
    AuthProtocols: {},
    PrivProtocols: {},
    isVarbindError: () => false,
    createSession: () => ({
      on: () => undefined,
      close: () => undefined,
      getBulk: (oids: string[], _non: number, _most: number, done: Answer) => {
        agent.asked++;
        queueMicrotask(() =>
          done(
            null,
            oids.map((oid) => agent.rows(oid).map((row) => ({ ...row, type: 4 }))),
          ),
        );
      },
    }),
  },
}));
const target = { address: "127.0.0.1", port: 161, access: [v2c("c")] };
beforeEach(() => (agent.asked = 0));

/** The column an object belongs to: what is asked for first has no index yet. */
const columnOf = (oid: string) => oid.split(".").slice(0, 11).join(".");

it("gives an agent up that lists the same objects again and again", async () => {
  agent.rows = (oid) => {
    const column = columnOf(oid);
    return [1, 2].map((index) => ({
      oid: `${column}.${oid.endsWith(".2") ? 3 - index : index}`,
      value: Buffer.from("x"),
    }));
  };
  await expect(readProcesses(target)).rejects.toThrow("Its SNMP agent is faulty");
  expect(agent.asked).toBeLessThan(10);
});

it("takes no more of a name than a name can have", async () => {
  const long = Buffer.from("n".repeat(2503));
  agent.rows = (oid) => {
    const column = columnOf(oid);
    return oid === column ? [{ oid: `${column}.1`, value: column.endsWith(".2") ? long : 1 }] : [];
  };
  const [process] = await readProcesses(target);
  expect(process?.name.length).toBeLessThanOrEqual(255);
});
