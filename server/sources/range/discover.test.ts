import { createSocket } from "node:dgram";
import { createServer, type Server } from "node:net";
import { afterEach, describe, expect, it } from "vitest";
import { FingerprintBook } from "#core/estate/fingerprints";
import { parseRanges } from "#core/estate/ranges";
import type { Found } from "../driver";
import { discoverRange } from "./discover";
import type { RangeTask } from "./look-at";
import { v2c } from "./snmp-access";

const PORT = 18_473;
const SNMP = 18_474;
const open: { close(): unknown }[] = [];
afterEach(() => {
  for (const one of open.splice(0)) one.close();
});

function task(ranges: string): RangeTask {
  const read = parseRanges(ranges);
  if (!read.ok) throw new Error(read.problem);
  return {
    spans: read.spans,
    names: read.names,
    ports: [PORT],
    snmpPort: SNMP,
    accessAt: () => [v2c("c")],
    book: new FingerprintBook({}),
  };
}

/** Something that listens on TCP, so that an address answers. */
async function listen(address: string): Promise<void> {
  const server: Server = createServer((socket) => socket.end("SSH-2.0-x\r\n"));
  await new Promise<void>((done) => server.listen(PORT, address, done));
  open.push(server);
}

/**
 * A tar pit: an agent that answers the first question, so that it is waited for patiently, and none of those that
 * follow.
 */
async function tarPit(address: string): Promise<void> {
  const socket = createSocket("udp4");
  const [GET, RESPONSE] = [0xa0, 0xa2];
  socket.on("message", (message, from) => {
    // The tag of the request stands right behind the community "c".
    const tag = message.indexOf("c") + 1;
    if (message[tag] !== GET) return;
    message[tag] = RESPONSE;
    socket.send(message, from.port, from.address);
  });
  await new Promise<void>((done) => socket.bind(SNMP, address, done));
  open.push(socket);
}

async function collect(stream: AsyncIterable<Found>, onFound?: (found: Found) => void): Promise<Found[]> {
  const all: Found[] = [];
  for await (const one of stream) {
    all.push(one);
    onFound?.(one);
  }
  return all;
}
const addressesOf = (found: readonly Found[]) =>
  found.flatMap((one) => (one.what === "observations" ? one.observations.flatMap((each) => each.address ?? []) : []));

describe("discovering an address range", () => {
  it("hands over what answers as it comes, and counts everything", async () => {
    await listen("127.83.0.1");
    await listen("127.83.0.3");
    const found = await collect(discoverRange.discover(task("127.83.0.1-5"), new AbortController().signal));
    expect(addressesOf(found).sort()).toEqual(["127.83.0.1", "127.83.0.3"]);
    expect(found.filter((one) => one.what === "progress").at(-1)).toMatchObject({
      tried: 5,
      answering: 2,
      recognised: 0,
    });
    expect(found.find((one) => one.what === "failure")).toMatchObject({
      reason: expect.stringContaining("not to SNMP") as string,
    });
  });

  it("gives an address up that takes too long, and holds nothing else back for it", async () => {
    await listen("127.83.1.1");
    await listen("127.83.1.2");
    await tarPit("127.83.1.2");
    const order: string[] = [];
    const found = await collect(
      discoverRange.discover(task("127.83.1.1-2"), new AbortController().signal, 4500),
      (one) => {
        if (one.what === "failure" && one.reason.includes("took longer")) order.push("given up");
        order.push(...addressesOf([one]));
      },
    );
    expect(order).toEqual(["127.83.1.1", "given up"]);
    expect(found.at(-1)).toBeDefined();
  });

  it("ends at once when it is stopped, whatever hangs", async () => {
    await listen("127.83.2.1");
    await tarPit("127.83.2.1");
    const abort = new AbortController();
    const running = collect(discoverRange.discover(task("127.83.2.1"), abort.signal));
    abort.abort();
    expect(addressesOf(await running)).toEqual([]);
  });

  it("is checked by what the first addresses answer, and says how many did not", async () => {
    const settings = { ranges: "127.83.3.1-3", except: "", ports: "22", snmpPort: SNMP, perSecond: 0 };
    const { spans } = task(settings.ranges);
    const checked = await discoverRange.check(
      { spans, names: [], count: 3, settings, accessAt: () => [v2c("c")] },
      new AbortController().signal,
    );
    expect(checked).toEqual({
      ok: false,
      lines: [`3 of the first 3 of 3 addresses did not answer SNMP on UDP ${SNMP} with these credentials.`],
    });
  });
});
