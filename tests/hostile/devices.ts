import { createSocket } from "node:dgram";
import { createServer } from "node:net";
import { createServer as createHttp } from "node:http";
import { mutateBytes, mutateText, noise } from "./mutate";
import type { Random } from "./random";

/** An answer of an SNMP agent (RFC 3416, a Response to a GetRequest of the system group), as a start for damage. */
const SNMP_ANSWER = Buffer.from(
  "302a02010104067075626c6963a21d020400000001020100020100300f300d06082b06010201010100040178",
  "hex",
);
const PAGE = `# TYPE a_seconds histogram
a_seconds_bucket{le="1"} 2
a_seconds_bucket{le="+Inf"} 3
a_seconds_count 3
a_seconds_sum 4.5
# TYPE b counter
b_total{x="y"} 7 1710669600.0
# EOF
`;

export interface Devices {
  close(): void;
  /** How often something was asked of them. */
  answers(): number;
  pageUrl: string;
}

/** Devices that answer nonsense: SNMP agents, SSH servers, pages of figures; all on loopback. */
export async function hostileDevices(
  random: Random,
  addresses: readonly string[],
  snmpPort: number,
  tcpPort: number,
): Promise<Devices> {
  let count = 0;
  const closing: { close(): unknown }[] = [];
  for (const address of addresses) {
    const udp = createSocket("udp4");
    udp.on("error", () => undefined);
    udp.on("message", (asked, { port, address: to }) => {
      count++;
      // Mostly the question itself, damaged: its request id is right then.
      const start = random.chance(0.7) ? Buffer.from(asked) : SNMP_ANSWER;
      if (random.chance(0.7))
        for (let at = 0; at < start.length; at++) if (start[at] === 0xa0 || start[at] === 0xa5) start[at] = 0xa2;
      for (let times = 1 + random.below(3); times > 0; times--)
        udp.send(
          random.chance(0.2) ? noise(random, random.below(1400)) : mutateBytes(random, start),
          port,
          to,
          () => undefined,
        );
    });
    await new Promise<void>((done) => udp.bind(snmpPort, address, () => done()));
    const tcp = createServer((socket) => {
      count++;
      socket.on("error", () => undefined);
      const greeting = random.pick([
        "SSH-2.0-x\r\n",
        "SSH-1.99-\r\n",
        "",
        "220 hello\r\n",
        "HTTP/1.1 200 OK\r\n\r\n<title>",
      ]);
      socket.write(Buffer.concat([Buffer.from(mutateText(random, greeting)), noise(random, random.below(600))]));
      socket.on("data", (part) => {
        socket.write(mutateBytes(random, part), () => undefined);
        if (random.chance(0.3)) socket.destroy();
      });
      socket.setTimeout(2000, () => socket.destroy());
    });
    await new Promise<void>((done) => tcp.listen(tcpPort, address, () => done()));
    closing.push(udp, tcp);
  }
  const page = createHttp((_request, response) => {
    count++;
    if (random.chance(0.05)) return void response.write("# TYPE");
    response.writeHead(random.pick([200, 200, 200, 204, 302, 500]), { "content-type": "text/plain" });
    response.end(mutateText(random, mutateText(random, PAGE)));
  });
  page.on("connection", (socket) => socket.on("error", () => undefined));
  await new Promise<void>((done) => page.listen(0, "127.0.0.1", () => done()));
  closing.push(page);
  return {
    answers: () => count,
    pageUrl: `http://127.0.0.1:${(page.address() as { port: number }).port}/metrics`,
    close: () => {
      page.closeAllConnections();
      for (const one of closing) one.close();
    },
  };
}
