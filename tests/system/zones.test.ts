import { streamEncode } from "dns-packet";
import { createServer, type AddressInfo, type Server, type Socket } from "node:net";
import { afterEach, describe, expect, it } from "vitest";
import { makeNameServer } from "#standins/name-server";
import { addressOfReverse, transferZone } from "#server/sources/dns/zone";

let server: Server | undefined;
afterEach(() => server?.close());
const listening = (made: Server) =>
  new Promise<{ address: string; port: number }>((resolve) => {
    server = made.listen(0, "127.0.0.1", () =>
      resolve({ address: "127.0.0.1", port: (made.address() as AddressInfo).port }),
    );
  });
const never = new AbortController().signal;

describe("transferring a zone", () => {
  it("reads names of addresses, aliases and reverse names, over several messages", async () => {
    const many = Array.from({ length: 500 }, (_, index) => ({
      type: "A" as const,
      name: `q${index}.quay.example`,
      ttl: 60,
      data: `10.0.${Math.floor(index / 250)}.${index % 250}`,
    }));
    const at = await listening(
      makeNameServer([
        {
          name: "quay.example",
          records: [
            ...many,
            { type: "AAAA", name: "six.quay.example", ttl: 60, data: "2001:db8::7" },
            { type: "CNAME", name: "www.Quay.example", ttl: 60, data: "Q7.quay.example" },
            { type: "A", name: "*.quay.example", ttl: 60, data: "10.9.9.9" },
          ],
        },
        {
          name: "0.0.10.in-addr.arpa",
          records: [{ type: "PTR", name: "7.0.0.10.in-addr.arpa", ttl: 60, data: "seven.quay.example" }],
        },
      ]),
    );
    const { names, records } = await transferZone(at, "quay.example", never);
    expect(records).toBe(505);
    expect(names.size).toBe(501);
    expect(names.get("10.0.0.7")).toEqual(["q7.quay.example", "www.quay.example"]);
    expect(names.get("2001:db8::7")).toEqual(["six.quay.example"]);
    const back = await transferZone(at, "0.0.10.in-addr.arpa", never);
    expect([...back.names]).toEqual([["10.0.0.7", ["seven.quay.example"]]]);
  });

  it("says what a server answers that does not hand it over", async () => {
    const at = await listening(makeNameServer([]));
    await expect(transferZone(at, "quay.example", never)).rejects.toThrow(
      `The name server 127.0.0.1:${at.port} refuses the transfer: allow this machine to transfer the zone there.`,
    );
    server?.close();
    await expect(transferZone({ address: "127.0.0.1", port: 1 }, "quay.example", never)).rejects.toThrow(
      "does not take connections by TCP",
    );
  });

  const answering = (answer: (socket: Socket) => void) =>
    listening(
      createServer((socket) => {
        socket.on("error", () => undefined);
        socket.once("data", () => answer(socket));
      }),
    );
  const soa = {
    type: "SOA" as const,
    name: "q.example",
    ttl: 1,
    data: { mname: "a.q.example", rname: "b.q.example", serial: 1, refresh: 1, retry: 1, expire: 1, minimum: 1 },
  };
  it.each<[string, (socket: Socket) => void, string]>([
    ["rubbish", (socket) => void socket.write(Buffer.from([0, 3, 1, 2, 3])), "sends what cannot be read"],
    ["an end", (socket) => void socket.end(), "closed the connection before the zone was whole"],
    [
      "half a zone",
      (socket) => void socket.end(streamEncode({ type: "response", id: 1, answers: [soa] })),
      "closed the connection before the zone was whole",
    ],
    [
      "no records",
      (socket) => void socket.write(streamEncode({ type: "response", id: 1, answers: [] })),
      "answers without the zone",
    ],
    [
      "no end",
      (socket) => {
        const part = streamEncode({
          type: "response",
          id: 1,
          answers: Array.from({ length: 2_000 }, () => ({ type: "A" as const, name: "q", ttl: 1, data: "10.0.0.1" })),
        });
        const send = () => {
          while (socket.writable && socket.write(part));
          if (socket.writable) socket.once("drain", send);
        };
        send();
      },
      "sends more than 200,000 records",
    ],
  ])("ends by itself where a server sends %s", async (_what, answer, problem) => {
    const at = await answering(answer);
    await expect(transferZone(at, "q.example", never)).rejects.toThrow(problem);
  });

  it("ends with the signal, whatever hangs", async () => {
    const at = await answering(() => undefined);
    const stopping = new AbortController();
    const under = transferZone(at, "q.example", stopping.signal);
    stopping.abort();
    await expect(under).rejects.toThrow("stopped");
  });

  it("reads addresses backwards", () => {
    expect(addressOfReverse("5.20.0.127.in-addr.arpa")).toBe("127.0.20.5");
    expect(addressOfReverse(`${"7.0.0.0.".repeat(1)}${"0.".repeat(20)}8.b.d.0.1.0.0.2.ip6.arpa`)).toBe("2001:db8::7");
    expect(addressOfReverse("20.127.in-addr.arpa")).toBeUndefined();
    expect(addressOfReverse("300.1.1.1.in-addr.arpa")).toBeUndefined();
  });
});
