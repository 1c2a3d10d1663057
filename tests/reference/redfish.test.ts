import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { hardwareEvents, hardwareFigures, observeHardware, type Json } from "#core/platforms/hardware/machine";
import { controllerResources } from "#standins/redfish";
import { readScenario } from "#standins/scenario/read";
import { Estate } from "#standins/seen/estate";

// What the DMTF's Redfish Schema (DSP8010, described in DSP0268) requires of the resources that are read: the members
// each must have, the form of what it may have, and the values of its enumerations. Written from the published schema.
const link = z.looseObject({ "@odata.id": z.string().startsWith("/redfish/v1") });
const resource = (type: string, rest: z.ZodRawShape = {}) =>
  z.looseObject({
    "@odata.id": z.string().startsWith("/redfish/v1"),
    "@odata.type": z.string().regex(new RegExp(`^#${type}\\.v\\d+_\\d+_\\d+\\.${type}$`)),
    Id: z.string().min(1),
    Name: z.string(),
    Status: status.optional(),
    ...rest,
  });
const health = z.enum(["OK", "Warning", "Critical"]);
const STATES = [
  "Enabled",
  "Disabled",
  "StandbyOffline",
  "StandbySpare",
  "InTest",
  "Starting",
  "Absent",
  "UnavailableOffline",
  "Deferring",
  "Quiesced",
  "Updating",
  "Qualified",
  "Degraded",
] as const;
const status = z.looseObject({
  State: z.enum(STATES).nullish(),
  Health: health.nullish(),
  HealthRollup: health.nullish(),
});
const collection = (of: string) =>
  z.looseObject({
    "@odata.id": z.string(),
    "@odata.type": z.literal(`#${of}Collection.${of}Collection`),
    Name: z.string(),
    Members: z.array(link),
    "Members@odata.count": z.number().int().nonnegative(),
  });
const part = (rest: z.ZodRawShape) =>
  z.looseObject({ "@odata.id": z.string(), MemberId: z.string(), Name: z.string().optional(), ...rest });
const UUID = /^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$/;

const SCHEMA: readonly [RegExp, z.ZodType][] = [
  [/^\/redfish\/v1\/$/, resource("ServiceRoot", { Links: z.looseObject({ Sessions: link }) })],
  [
    /Systems\/\d+$/,
    resource("ComputerSystem", {
      UUID: z.string().regex(UUID),
      PowerState: z.enum(["On", "Off", "PoweringOn", "PoweringOff", "Paused"]),
      ProcessorSummary: z.looseObject({ Count: z.number().int() }),
      MemorySummary: z.looseObject({ TotalSystemMemoryGiB: z.number() }),
      Links: z.looseObject({ Chassis: z.array(link), ManagedBy: z.array(link) }),
    }),
  ],
  [/Storage\/\d+$/, resource("Storage", { Drives: z.array(link) })],
  [
    /Drives\/\d+$/,
    resource("Drive", {
      CapacityBytes: z.number().int(),
      FailurePredicted: z.boolean(),
      PredictedMediaLifeLeftPercent: z.number(),
    }),
  ],
  [/Chassis\/\d+$/, resource("Chassis", { ChassisType: z.enum(["Rack", "Blade", "Enclosure", "RackMount"]) })],
  [
    /\/Power$/,
    resource("Power", {
      PowerControl: z.array(part({ PowerConsumedWatts: z.number() })),
      PowerSupplies: z.array(part({ Status: status })),
    }),
  ],
  [
    /\/Thermal$/,
    resource("Thermal", {
      Temperatures: z.array(part({ ReadingCelsius: z.number() })),
      Fans: z.array(part({ Reading: z.number().int(), ReadingUnits: z.enum(["RPM", "Percent"]) })),
    }),
  ],
  [/Managers\/\d+$/, resource("Manager", { FirmwareVersion: z.string() })],
  [/LogServices\/[^/]+$/, resource("LogService", { Entries: link })],
  [/\/Systems$/, collection("ComputerSystem")],
  [/\/Storage$/, collection("Storage")],
  [/v1\/Chassis$/, collection("Chassis")],
  [/\/Managers$/, collection("Manager")],
  [/\/LogServices$/, collection("LogService")],
  [/\/Entries$/, collection("LogEntry")],
];
const logEntry = resource("LogEntry", {
  EntryType: z.enum(["Event", "SEL", "Oem", "CXL"]),
  Severity: health,
  Created: z.iso.datetime(),
});

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("; "));
const estate = new Estate(read.scenario, AT);
const host = estate.host("nq-virt-01");
if (!host) throw new Error("no host");
estate.world.advance(AT);
const resources = controllerResources(host, "Maker", AT);

describe("what the stand-in's controller answers, by the published schema", () => {
  it.each(Object.keys(resources))("%s", (path) => {
    const schema = SCHEMA.find(([pattern]) => pattern.test(path))?.[1];
    expect(schema, "its kind is known").toBeDefined();
    expect(schema?.safeParse({ "@odata.id": path, ...resources[path] }).error?.issues ?? []).toEqual([]);
  });
  it("every entry of its log", () => {
    const log = resources["/redfish/v1/Managers/1/LogServices/Log/Entries"] as { Members: Json[] };
    expect(log.Members.length).toBeGreaterThan(0);
    for (const entry of log.Members) expect(logEntry.safeParse(entry).error?.issues ?? []).toEqual([]);
  });
  it("every link leads to a resource, but for the sessions, which nobody asks for", () => {
    const links = JSON.stringify(resources).match(/"@odata\.id":"[^"]+"/g) ?? [];
    const paths = links.map((one) => one.slice(13, -1)).filter((one) => !/#|Sessions|Entries\//.test(one));
    expect(paths.filter((path) => !(path in resources))).toEqual([]);
  });
});

describe("any machine that the schema allows", () => {
  // Everything but the four required members may be missing, null, or of any allowed value.
  const maybe = <T>(arb: fc.Arbitrary<T>) => fc.option(fc.option(arb, { nil: null }), { nil: undefined });
  const anyStatus = maybe(
    fc.record({
      State: maybe(fc.constantFrom(...STATES)),
      Health: maybe(fc.constantFrom("OK", "Warning", "Critical")),
      HealthRollup: maybe(fc.constantFrom("OK", "Warning", "Critical")),
    }),
  );
  const parts = maybe(
    fc.array(
      fc.record({
        Name: maybe(fc.string()),
        Reading: maybe(fc.integer()),
        ReadingUnits: maybe(fc.constantFrom("RPM", "Percent")),
        ReadingCelsius: maybe(fc.float()),
        PowerConsumedWatts: maybe(fc.float()),
        Status: anyStatus,
      }),
      { maxLength: 3 },
    ),
  );
  const machine = fc.record({
    system: fc.record({
      Id: fc.string(),
      Name: fc.string(),
      UUID: maybe(fc.uuid()),
      SerialNumber: maybe(fc.string()),
      HostName: maybe(fc.string()),
      PowerState: maybe(fc.constantFrom("On", "Off", "PoweringOn", "PoweringOff", "Paused")),
      ProcessorSummary: maybe(fc.record({ Count: maybe(fc.nat()), Model: maybe(fc.string()) })),
      MemorySummary: maybe(fc.record({ TotalSystemMemoryGiB: maybe(fc.float()) })),
      Status: anyStatus,
    }),
    chassis: fc.array(
      fc.record({
        chassis: fc.record({ Id: fc.string() }),
        power: fc.record({ PowerControl: parts, PowerSupplies: parts }),
        thermal: fc.record({ Temperatures: parts, Fans: parts }),
      }),
      { maxLength: 2 },
    ),
    drives: fc.array(
      fc.record({
        Id: fc.string(),
        Name: fc.string(),
        FailurePredicted: maybe(fc.boolean()),
        PredictedMediaLifeLeftPercent: maybe(fc.float()),
        Status: anyStatus,
      }),
      { maxLength: 3 },
    ),
    log: fc.array(
      fc.record({
        Id: fc.string(),
        Severity: maybe(fc.constantFrom("OK", "Warning", "Critical")),
        Created: maybe(fc.constantFrom("2026-03-17T10:00:00Z", "2026-03-17T10:00:00+02:00", "")),
        Message: maybe(fc.string()),
      }),
      { maxLength: 3 },
    ),
  });

  it("is read: it has keys and a name, figures are numbers, parts that are absent have none", () => {
    fc.assert(
      fc.property(machine, (documents) => {
        const known = documents as unknown as Parameters<typeof observeHardware>[1];
        const observed = observeHardware("127.0.0.1", known);
        expect(observed.keys.length).toBeGreaterThan(0);
        expect(observed.name).not.toBe("");
        for (const value of Object.values(observed.facts)) expect(value).not.toBe("");
        const figures = hardwareFigures(known);
        for (const { value } of figures) expect(Number.isFinite(value)).toBe(true);
        const absent = documents.drives.filter((one) => one.Status?.State === "Absent");
        for (const { Name } of absent)
          if (Name && documents.drives.filter((one) => one.Name === Name).length === 1)
            expect(figures.some((one) => one.metric.startsWith("hardware.drive") && one.instance === Name)).toBe(false);
        for (const event of hardwareEvents(known)) expect(event.summary).toContain("its own log");
      }),
    );
  });
});
