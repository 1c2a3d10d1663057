import { createServer, type Server } from "node:http";
import { scatter, wander } from "./rhythm";
import type { ScenarioController } from "./scenario/schema";
import type { Estate } from "./seen/estate";
import { uuidOf, type HostView } from "./seen/host-view";

const MINUTE_MS = 60_000;

/** What every resource says of itself (DSP0268 Resource). */
const typed = (type: string, id: string, name: string) => ({ "@odata.type": `#${type}`, Id: id, Name: name });
const collection = (of: string, members: readonly object[]) => ({
  "@odata.type": `#${of}Collection.${of}Collection`,
  Name: `${of} collection`,
  "Members@odata.count": members.length,
  Members: members,
});
/** Of an entry within a resource. */
const part = (place: string, index: number) => ({
  "@odata.id": `/redfish/v1/Chassis/1/${place}/${index}`,
  MemberId: `${index}`,
});

/** What a controller has written down: what is always there, and what the world does to its machine. */
function entriesOf(root: string, isOn: boolean, isFailing: boolean, atMs: number): object[] {
  const entry = (id: string, severity: string, message: string, at: number) => ({
    "@odata.id": `${root}/Managers/1/LogServices/Log/Entries/${id}`,
    ...typed("LogEntry.v1_16_0.LogEntry", id, `Log entry ${id}`),
    EntryType: "Event",
    Created: `${new Date(at).toISOString().slice(0, 19)}Z`,
    Severity: severity,
    Message: message,
  });
  const day = Math.floor(atMs / 86_400_000) * 86_400_000;
  return [
    entry("1", "OK", "The log was cleared.", day - 30 * 86_400_000),
    ...(isFailing ? [entry("drive-0", "Warning", "Drive 0 predicts that it will fail.", atMs)] : []),
    ...(isOn ? [] : [entry("power", "Critical", "The machine lost power.", atMs)]),
  ];
}

const root = "/redfish/v1";
const link = (path: string) => ({ "@odata.id": `${root}${path}` });
const status = (health: string) => ({ Status: { State: "Enabled", Health: health } });

/** What the box itself measures: power, warmth, fans. */
function chassisOf(host: HostView, atMs: number): Record<string, object> {
  const { machine, world } = host;
  const { state } = world;
  const { role, seed } = machine;
  const isOn = state.machine.up[machine.index] === 1;
  const busy = isOn ? Math.min(1, (state.machine.cores[machine.index] as number) / role.cores) : 0;
  const inlet = 21 + 2 * wander(seed + 31, atMs, 60 * MINUTE_MS);
  const processor = isOn ? inlet + 18 + 38 * busy : inlet;
  const watts = isOn ? Math.round(role.cores * (3.5 + 6 * busy) + 60) : 9;
  return {
    [`${root}/Chassis`]: collection("Chassis", [link("/Chassis/1")]),
    [`${root}/Chassis/1`]: {
      ...typed("Chassis.v1_25_0.Chassis", "1", `${host.name} chassis`),
      ChassisType: "RackMount",
      Power: link("/Chassis/1/Power"),
      Thermal: link("/Chassis/1/Thermal"),
    },
    [`${root}/Chassis/1/Power`]: {
      ...typed("Power.v1_7_1.Power", "Power", "Power"),
      PowerControl: [{ ...part("Power#/PowerControl", 0), Name: "System power", PowerConsumedWatts: watts }],
      PowerSupplies: [1, 2].map((index) => ({
        ...part("Power#/PowerSupplies", index - 1),
        Name: `Supply ${index}`,
        ...status("OK"),
      })),
    },
    [`${root}/Chassis/1/Thermal`]: {
      ...typed("Thermal.v1_7_1.Thermal", "Thermal", "Thermal"),
      Temperatures: [
        { Name: "Inlet", ReadingCelsius: Math.round(inlet * 10) / 10 },
        { Name: "CPU 1", ReadingCelsius: Math.round(processor) },
        { Name: "CPU 2", ReadingCelsius: Math.round(processor - 2) },
      ].map((one, index) => ({ ...part("Thermal#/Temperatures", index), ...one, ...status("OK") })),
      Fans: [1, 2, 3, 4].map((index) => ({
        ...part("Thermal#/Fans", index - 1),
        Name: `Fan ${index}`,
        Reading: isOn ? Math.round(4200 + 5200 * busy + 80 * scatter(seed + index, Math.floor(atMs / 15_000))) : 0,
        ReadingUnits: "RPM",
        ...status("OK"),
      })),
    },
  };
}

/** Resources of a machine's management controller (DMTF DSP0266), by their paths: all of it follows from the world. */
export function controllerResources(host: HostView, maker: string, atMs: number): Record<string, object> {
  const { machine, world } = host;
  const { state } = world;
  const { role, seed } = machine;
  const isOn = state.machine.up[machine.index] === 1;
  const slowest = Math.max(1, ...machine.disks.map((disk) => state.disk.slowdown[disk.index] as number));
  const serial = `HX${(seed >>> 0).toString(36).toUpperCase().padStart(7, "0")}`;
  const drives = [0, 1].map((index) => ({
    ...typed("Drive.v1_17_0.Drive", `${index}`, `Drive ${index}`),
    CapacityBytes: 960_000_000_000,
    PredictedMediaLifeLeftPercent: 96 - ((seed + index * 7) % 30),
    // A device that answers so late is on its way out.
    FailurePredicted: index === 0 && slowest > 50,
    ...status(index === 0 && slowest > 50 ? "Warning" : "OK"),
  }));
  const log = entriesOf(root, isOn, slowest > 50, atMs);
  return {
    [`${root}/`]: {
      ...typed("ServiceRoot.v1_16_0.ServiceRoot", "RootService", "Root Service"),
      RedfishVersion: "1.18.0",
      Systems: link("/Systems"),
      Chassis: link("/Chassis"),
      Managers: link("/Managers"),
      Links: { Sessions: link("/SessionService/Sessions") },
    },
    [`${root}/Systems`]: collection("ComputerSystem", [link("/Systems/1")]),
    [`${root}/Systems/1`]: {
      ...typed("ComputerSystem.v1_22_0.ComputerSystem", "1", host.name),
      UUID: uuidOf(machine),
      SerialNumber: serial,
      HostName: host.fullName,
      Manufacturer: maker,
      Model: role.cores > 16 ? "Quayside 2U" : "Quayside 1U",
      BiosVersion: "2.14",
      PowerState: isOn ? "On" : "Off",
      ProcessorSummary: { Count: 2, Model: "Plain 12-core" },
      MemorySummary: { TotalSystemMemoryGiB: role.memoryGiB },
      ...status(slowest > 50 ? "Warning" : "OK"),
      Storage: link("/Systems/1/Storage"),
      Links: { Chassis: [link("/Chassis/1")], ManagedBy: [link("/Managers/1")] },
    },
    [`${root}/Systems/1/Storage`]: collection("Storage", [link("/Systems/1/Storage/1")]),
    [`${root}/Systems/1/Storage/1`]: {
      ...typed("Storage.v1_15_0.Storage", "1", "Storage 1"),
      Drives: drives.map((one) => link(`/Systems/1/Storage/1/Drives/${one.Id}`)),
    },
    ...Object.fromEntries(drives.map((one) => [`${root}/Systems/1/Storage/1/Drives/${one.Id}`, one])),
    [`${root}/Managers/1/LogServices`]: collection("LogService", [link("/Managers/1/LogServices/Log")]),
    [`${root}/Managers/1/LogServices/Log`]: {
      ...typed("LogService.v1_5_0.LogService", "Log", "Log"),
      Entries: link("/Managers/1/LogServices/Log/Entries"),
    },
    [`${root}/Managers/1/LogServices/Log/Entries`]: collection("LogEntry", log),
    ...chassisOf(host, atMs),
    [`${root}/Managers`]: collection("Manager", [link("/Managers/1")]),
    [`${root}/Managers/1`]: {
      ...typed("Manager.v1_19_0.Manager", "1", "Management controller"),
      FirmwareVersion: "5.10",
      LogServices: link("/Managers/1/LogServices"),
    },
  };
}

/** Serves the management controllers of the scenario. They run on whether or not their machine is on. */
export const startControllers = (estate: Estate, now: () => number): Promise<Server[]> =>
  Promise.all(estate.scenario.controllers.map((one) => startController(estate, one, now)));

async function startController(
  estate: Estate,
  { host: name, address, port, user, password }: ScenarioController,
  now: () => number,
): Promise<Server> {
  const expected = `Basic ${Buffer.from(`${user}:${password}`).toString("base64")}`;
  const server = createServer((request, response) => {
    const send = (status: number, body: object) => {
      response.writeHead(status, { "content-type": "application/json", "odata-version": "4.0" });
      response.end(JSON.stringify(body));
    };
    const path = new URL(request.url ?? "/", "http://controller").pathname;
    // The root is for everybody (DSP0266 §13.3.7).
    if (path !== "/redfish/v1/" && request.headers.authorization !== expected)
      return send(401, { error: { code: "Base.1.18.NoValidSession" } });
    const host = estate.host(name);
    const atMs = now();
    estate.world.advance(atMs);
    const resource = host && controllerResources(host, estate.scenario.organisation.maker, atMs)[path];
    if (!resource) return send(404, { error: { code: "Base.1.18.ResourceMissingAtURI" } });
    send(200, { "@odata.id": path, ...resource });
  });
  await new Promise<void>((resolve, reject) => server.once("error", reject).listen(port, address, resolve));
  return server;
}
