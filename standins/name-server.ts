import { decode, streamEncode, type Answer } from "dns-packet";
import { createServer, type Server } from "node:net";
import type { Scenario } from "./scenario/schema";

/** One zone as it is transferred: its names, with the addresses or the name each stands for. */
export interface Zone {
  name: string;
  records: Answer[];
}

const TTL = 3600;
/** Records in one message; a zone is several. */
const IN_ONE = 100;
const MOST_BYTES = 4096;

const a = (name: string, data: string): Answer => ({ type: "A", name, ttl: TTL, data });

/** The zones of an estate: each host by its name, those of one role by a name that is balanced over them, and backwards. */
export function zonesOf(scenario: Scenario): Zone[] {
  const { hosts } = scenario;
  const { domain } = scenario.organisation;
  const left = Object.entries(scenario.names?.left ?? {}).map(([name, address]) => ({ name, address }));
  const all = [...hosts, ...left];
  const forward = [
    ...all.map((one) => a(`${one.name}.${domain}`, one.address)),
    ...hosts.map((one) => a(`${one.role}.${domain}`, one.address)),
  ];
  const networks = new Set(all.map((one) => one.address.split(".").slice(0, 3).join(".")));
  return [
    { name: domain, records: forward },
    ...[...networks].map((network) => ({
      name: `${network.split(".").reverse().join(".")}.in-addr.arpa`,
      records: all
        .filter((one) => one.address.startsWith(`${network}.`))
        .map((one): Answer => ({
          type: "PTR",
          name: `${one.address.split(".").reverse().join(".")}.in-addr.arpa`,
          ttl: TTL,
          data: `${one.name}.${domain}`,
        })),
    })),
  ];
}

/** Answers transfers of zones by TCP (RFC 5936), everything else with REFUSED. */
export function makeNameServer(zones: readonly Zone[]): Server {
  return createServer((socket) => {
    let waiting: Buffer = Buffer.alloc(0);
    socket.setTimeout(10_000, () => socket.destroy());
    socket.on("error", () => socket.destroy());
    socket.on("data", (part: Buffer) => {
      waiting = Buffer.concat([waiting, part]);
      if (waiting.length > MOST_BYTES) return void socket.destroy();
      if (waiting.length < 2 || waiting.length < 2 + waiting.readUInt16BE()) return;
      let query;
      try {
        query = decode(waiting.subarray(2, 2 + waiting.readUInt16BE()));
      } catch {
        return void socket.destroy();
      }
      const [question] = query.questions ?? [];
      const zone = zones.find((one) => one.name === question?.name.toLowerCase());
      const head = { type: "response" as const, id: query.id ?? 0, questions: query.questions ?? [] };
      if (question?.type !== "AXFR" || !zone) return void socket.end(streamEncode({ ...head, flags: 5 }));
      const soa: Answer = {
        type: "SOA",
        name: zone.name,
        ttl: TTL,
        data: {
          mname: `ns.${zone.name}`,
          rname: `hostmaster.${zone.name}`,
          serial: 1,
          refresh: TTL,
          retry: 600,
          expire: 86_400,
          minimum: 60,
        },
      };
      const records = [soa, ...zone.records, soa];
      for (let at = 0; at < records.length; at += IN_ONE)
        socket.write(streamEncode({ ...head, flags: 1 << 10, answers: records.slice(at, at + IN_ONE) }));
      socket.end();
    });
  });
}
