import { generateKeyPairSync } from "node:crypto";
import { createServer, type Server, type Socket } from "node:net";
import type { AddressInfo } from "node:net";
import ssh2 from "ssh2";
import { afterEach, describe, expect, it } from "vitest";
import { openInTime, SshConnection, type SshTarget } from "./ssh";

const hostKey = generateKeyPairSync("rsa", { modulusLength: 2048 }).privateKey.export({ type: "pkcs1", format: "pem" });
let listening: Server;

/** A host that hangs up on the first so many, and lets everybody in afterwards. */
async function host(hangsUp: number, letsIn = true): Promise<{ target: SshTarget; asked: () => number }> {
  let asked = 0;
  const ssh = new ssh2.Server({ hostKeys: [hostKey as string] }, (client) => {
    client.on("authentication", (way) => (letsIn ? way.accept() : way.reject(["password"])));
    client.on("error", () => undefined);
  });
  listening = createServer((socket: Socket) => {
    asked++;
    socket.on("error", () => undefined);
    if (asked <= hangsUp) socket.destroy();
    else ssh.injectSocket(socket);
  });
  await new Promise<void>((done) => listening.listen(0, "127.0.0.1", done));
  const { port } = listening.address() as AddressInfo;
  const target = {
    address: "127.0.0.1",
    port,
    user: "operator",
    password: "x",
    knownFingerprint: undefined,
    trust: () => undefined,
  };
  return { target, asked: () => asked };
}

afterEach(() => listening.close());

describe("a connection that does not come about", () => {
  const printed: string[] = [];
  const open = (target: SshTarget) =>
    openInTime(target, 20_000, new AbortController().signal, (text) => printed.push(text));

  it("is tried again, and it is said so", async () => {
    const { target, asked } = await host(2);
    const opened = await open(target);
    expect(opened).toBeInstanceOf(SshConnection);
    if (opened instanceof SshConnection) opened.end();
    expect(asked()).toBe(3);
    expect(printed.filter((one) => one.endsWith("Trying again.\n"))).toHaveLength(2);
  });

  it("is given up after the third time", async () => {
    const { target, asked } = await host(100);
    expect(await open(target)).toMatchObject({ exitCode: null, notReached: true });
    expect(asked()).toBe(3);
  });

  it("is not asked for again where nobody is let in", async () => {
    const { target, asked } = await host(0, false);
    expect(await open(target)).toMatchObject({ refusedSignIn: true });
    expect(asked()).toBe(1);
  });
});
