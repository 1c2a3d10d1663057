import { connect } from "node:net";
import { eachAddress, parseRanges } from "#core/estate/ranges";
import { eachLimited } from "#server/outside/limit";
import { shippedBook } from "#server/estate/fingerprints";
import { discoverRange } from "#server/sources/range/discover";
import type { Measurement } from "./measurement";
import { v2c } from "#server/sources/range/snmp-access";

const RANGE = "127.50.0.0-127.50.15.255";
const PORTS = [
  1389, 1883, 12_222, 12_525, 5432, 5672, 18_080, 8081, 8085, 8086, 8443, 11_211, 3306, 6379, 9200, 27_017, 9092, 5671,
  6443, 8888,
];

/**
 * A sweep of 4,096 addresses with 20 ports each, 400 of them answering; the stand-ins run in a process of their own.
 */
export async function benchSweep(): Promise<Measurement> {
  const ranges = parseRanges(RANGE);
  if (!ranges.ok) throw new Error(ranges.problem);
  let counts = { tried: 0, recognised: 0 };
  const began = performance.now();
  const task = {
    spans: ranges.spans,
    names: [],
    ports: PORTS,
    snmpPort: 11_161,
    book: shippedBook(process.cwd()),
    accessAt: () => [v2c("test-room")],
  };
  for await (const one of discoverRange.discover(task, new AbortController().signal))
    if (one.what === "progress") counts = one;
  const took = (performance.now() - began) / 1000;
  if (counts.tried !== 4096 || counts.recognised !== 400)
    throw new Error(`The sweep met ${counts.tried} addresses and ${counts.recognised} systems.`);
  const plainBegan = performance.now();
  await eachLimited(eachAddress(ranges.spans), 56, async (address) => {
    await Promise.all(
      PORTS.map(
        (port) =>
          new Promise<void>((resolve) => {
            const socket = connect({ host: address, port });
            const done = () => {
              socket.destroy();
              resolve();
            };
            socket.on("connect", done);
            socket.on("error", done);
          }),
      ),
    );
  });
  return {
    name: "sweep of 4,096 addresses × 20 ports, 400 answering",
    value: took,
    unit: "s",
    better: "lower",
    target: 30,
    reference: { name: "bare TCP connects to the same ports", value: (performance.now() - plainBegan) / 1000 },
  };
}
