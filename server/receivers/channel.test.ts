import { MessageChannel } from "node:worker_threads";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { IngestChannel } from "./channel";

let ports: MessageChannel;
let channel: IngestChannel;
beforeEach(() => {
  ports = new MessageChannel();
  channel = new IngestChannel(
    ports.port1,
    () => 0,
    () => undefined,
  );
});
afterEach(() => {
  ports.port1.close();
  ports.port2.close();
});

const MIB = 2 ** 20;

describe("room for requests", () => {
  it("is taken as bytes arrive, not as a head says, and given back", () => {
    const hold = channel.enter("10.0.0.1");
    expect(hold?.take(80 * MIB)).toBe(true);
    expect(hold?.take(80 * MIB)).toBe(false);
    hold?.release();
    const again = channel.enter("10.0.0.1");
    expect(again?.take(80 * MIB)).toBe(true);
  });
  it("of one address leaves room for others", () => {
    const greedy = Array.from({ length: 3 }, () => channel.enter("10.0.0.1"));
    expect(greedy.map((hold) => hold?.take(60 * MIB))).toEqual([true, false, false]);
    expect(channel.enter("10.0.0.2")?.take(60 * MIB)).toBe(true);
  });
  it("is bounded over all addresses", () => {
    const taken = Array.from({ length: 4 }, (_, index) => channel.enter(`10.0.0.${index}`)?.take(50 * MIB));
    expect(taken).toEqual([true, true, true, false]);
  });
  it("is there for requests that have not sent a byte, but not for any number of them", () => {
    let entered = 0;
    while (channel.enter("10.0.0.1") && entered < 10_000) entered++;
    expect(entered).toBeLessThanOrEqual(1536);
    expect(channel.enter("10.0.0.2")).toBeDefined();
  });
});
