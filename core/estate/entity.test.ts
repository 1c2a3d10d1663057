import { describe, expect, it } from "vitest";
import { nameResource } from "./naming";
import { entityOf } from "./entity";

const ID = "0f".repeat(32);
const agent = {
  "telemetry.distro.name": "holotaxis-agent",
  "telemetry.distro.version": "1.2.3",
  "host.name": "Crane-07.example",
  "os.type": "linux",
  "host.ip": "fd00::7, 198.51.100.7",
  "host.processors": "8",
  "host.memory.bytes": "16000000000",
  "report.seconds": "30",
};

describe("what a sender is evidence of", () => {
  it("a host, when our agent runs on it", () =>
    expect(entityOf(agent)).toEqual({
      what: "host",
      hostName: "Crane-07.example",
      kind: "host.linux",
      address: "198.51.100.7",
      site: "no site",
      everySeconds: 30,
      facts: {
        "host name": "Crane-07.example",
        agent: "version 1.2.3, every 30 s",
        processors: "8",
        "memory bytes": "16000000000",
      },
    }));
  it("no host, when anything else says its name: everybody names the host it runs on", () => {
    expect(entityOf({ "host.name": "crane-07", "service.name": "winch" })).toBeUndefined();
    expect(entityOf({ ...agent, "telemetry.distro.name": "some-other" })).toBeUndefined();
    expect(entityOf({ ...agent, "host.name": " " })).toBeUndefined();
  });
  it("a container on a host, whoever says so, by the best name it has", () => {
    const base = {
      "container.id": ID.toUpperCase(),
      "host.name": "crane-07",
      "process.executable.name": "winchd",
      "telemetry.distro.name": "holotaxis-agent",
    };
    expect(entityOf(base)).toMatchObject({
      what: "container",
      id: ID,
      label: "winchd",
      facts: { "container id": ID.slice(0, 12) },
    });
    expect(entityOf({ ...base, "service.name": "winch" })).toMatchObject({ label: "winch" });
    expect(
      entityOf({
        ...base,
        "service.name": "winch",
        "container.name": "winch-1",
        "container.image.name": "halvane/winch",
        "container.image.tags": "2.1",
      }),
    ).toMatchObject({ label: "winch-1", facts: { image: "halvane/winch:2.1" } });
  });
  it("no container by an id alone, which a detector may have guessed", () => {
    const guessed = { "container.id": ID, "host.name": "crane-07", "service.name": "winch" };
    expect(entityOf(guessed)).toBeUndefined();
    expect(entityOf({ ...guessed, "container.image.name": "halvane/winch" })).toMatchObject({ what: "container" });
    expect(entityOf({ ...guessed, "k8s.pod.name": "winch-0" })).toMatchObject({ what: "container" });
  });
  it("no container without a host, nor with an id that is none", () => {
    expect(entityOf({ "container.id": ID })).toBeUndefined();
    expect(entityOf({ "container.id": "my container", "host.name": "crane-07" })).toBeUndefined();
  });
  it.each(["0", "-5", "99999", "often", undefined])("an interval of %s is the usual one", (seconds) =>
    expect(entityOf({ ...agent, "report.seconds": seconds as string })).toMatchObject({ everySeconds: 15 }),
  );
});

it("a container's own signals are named to it, not to the process of its name on the host", () => {
  const book = {
    rules: [],
    known: {
      name: new Map([
        ["winchd @ crane-07", 1],
        ["crane-07", 2],
      ]),
      address: new Map<string, number>(),
      container: new Map([[ID, 3]]),
    },
  };
  const attributes = { "container.id": ID, "process.executable.name": "winchd", "host.name": "crane-07" };
  expect(nameResource(attributes, book)).toEqual({ componentId: 3, why: `container.id ${ID.slice(0, 12)}` });
  expect(nameResource({ ...attributes, "container.id": "ee".repeat(32) }, book).componentId).toBe(1);
});
