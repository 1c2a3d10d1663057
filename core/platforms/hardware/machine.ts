import { OF_PLATFORM, PLATFORM } from "../../estate/labels";
import { identityKey, type Observation } from "../../estate/observation";
import { readInstant } from "../instant";
import { listOf, numberOf, textOf } from "../thing";

/** Resources of one management controller (DMTF DSP0266), as they were answered. */
export interface HardwareDocuments {
  /** ComputerSystem. */
  system: Json;
  /** Of the chassis that it is in: Chassis, Power, Thermal. */
  chassis: readonly { chassis: Json; power?: Json; thermal?: Json }[];
  /** Drive, of every storage unit of the system. */
  drives: readonly Json[];
  /** Manager that answers. */
  manager?: Json;
  /** LogEntry, of every log of the system and of its manager. */
  log: readonly Json[];
}
export type Json = Readonly<Record<string, unknown>>;

export interface HardwareFigure {
  metric: string;
  instance: string;
  unit: string;
  value: number;
}

export const jsonOf = (value: unknown): Json =>
  value !== null && typeof value === "object" && !Array.isArray(value) ? (value as Json) : {};
const words = (value: unknown) => textOf(value, 120);

/** Health as the standard says it (DSP0268 Status.Health): 0 well, 1 warning, 2 critical; undefined where it is absent. */
export function healthOf(resource: Json): number | undefined {
  const status = jsonOf(resource.Status);
  if (words(status.State) === "Absent") return undefined;
  const level = ["OK", "Warning", "Critical"].indexOf(words(status.HealthRollup ?? status.Health));
  return level < 0 ? undefined : level;
}

/** Whether a part is fitted. */
const isThere = (part: Json) => words(jsonOf(part.Status).State) !== "Absent";

const partsOf = (documents: readonly (Json | undefined)[], name: string): Json[] =>
  documents.flatMap((one) => listOf(one?.[name]).map(jsonOf)).filter(isThere);

/** Serial numbers that makers leave as they were. */
const meant = (text: string) => !/^(none|not specified|to be filled.*|default string|0+|n\/?a|unknown)?$/i.test(text);

/** A key of the machine: its UUID, else its serial number, else where its controller is. */
const ownKey = (address: string, system: Json) =>
  words(system.UUID).toLowerCase() || words(system.SerialNumber) || address;

export const hardwareKey = (address: string, system: Json): string =>
  identityKey("native", `hardware/${encodeURIComponent(ownKey(address, system))}`).value;

/** A machine by what it is built of: the same component as the host that runs on it, by UUID, serial number and name. */
export function observeHardware(address: string, documents: HardwareDocuments): Observation {
  const { system, manager } = documents;
  const uuid = words(system.UUID).toLowerCase();
  const serial = words(system.SerialNumber);
  const hostName = words(system.HostName).toLowerCase();
  const processors = jsonOf(system.ProcessorSummary);
  const memory = jsonOf(system.MemorySummary);
  const thermal = documents.chassis.map((one) => one.thermal);
  const power = documents.chassis.map((one) => one.power);
  const facts: Record<string, string> = {
    maker: words(system.Manufacturer),
    model: words(system.Model),
    "serial number": serial,
    "power state": words(system.PowerState).toLowerCase(),
    health: ["well", "warning", "critical"][healthOf(system) ?? -1] ?? "",
    BIOS: words(system.BiosVersion),
    controller: [address, words(manager?.FirmwareVersion) && `firmware ${words(manager?.FirmwareVersion)}`]
      .filter(Boolean)
      .join(", "),
    "processors fitted": [words(processors.Count), words(processors.Model)].filter(Boolean).join(" × "),
    "memory fitted GiB": words(memory.TotalSystemMemoryGiB),
    drives: String(documents.drives.filter(isThere).length || ""),
    fans: String(partsOf(thermal, "Fans").length || ""),
    "power supplies": String(partsOf(power, "PowerSupplies").length || ""),
  };
  const name = hostName.split(".")[0] || serial || address;
  return {
    keys: [
      { value: hardwareKey(address, system), strength: 3 },
      ...(uuid && meant(uuid) ? [identityKey("machine", uuid)] : []),
      ...(meant(serial) && serial.length >= 5 ? [identityKey("serial", serial)] : []),
      // People list machines by the short of their names.
      ...[...new Set([hostName, hostName.split(".")[0] ?? ""])].filter(Boolean).map((one) => identityKey("name", one)),
    ],
    kind: { is: "host.unknown", reason: "its management controller tells of it", confidence: 0.2 },
    name,
    nameElse: `${name} (hardware)`,
    depth: 1,
    readBy: PLATFORM,
    facts: Object.fromEntries(
      Object.entries(facts)
        .filter(([, value]) => value !== "")
        .map(([fact, value]) => [`${OF_PLATFORM}${fact}`, value]),
    ),
  };
}

/** Figures of a machine's parts. */
export function hardwareFigures({ system, chassis, drives }: HardwareDocuments): HardwareFigure[] {
  const figures: HardwareFigure[] = [];
  const put = (metric: string, instance: string, unit: string, value: unknown) => {
    const number = numberOf(value);
    if (number !== undefined) figures.push({ metric, instance, unit, value: number });
  };
  put("hardware.health", "", "1", healthOf(system));
  put("hardware.on", "", "0/1", words(system.PowerState) === "" ? undefined : words(system.PowerState) === "On");
  for (const { power, thermal } of chassis) {
    for (const one of partsOf([power], "PowerControl"))
      put("hardware.power", words(one.Name), "W", one.PowerConsumedWatts);
    for (const one of partsOf([power], "PowerSupplies"))
      put("hardware.supply.health", words(one.Name), "1", healthOf(one));
    for (const one of partsOf([thermal], "Temperatures"))
      put("hardware.temperature", words(one.Name), "Cel", one.ReadingCelsius);
    for (const one of partsOf([thermal], "Fans")) {
      const unit = words(one.ReadingUnits) === "Percent" ? "%" : "/min";
      put(
        unit === "%" ? "hardware.fan.share" : "hardware.fan.speed",
        words(one.Name ?? one.FanName),
        unit,
        one.Reading,
      );
      put("hardware.fan.health", words(one.Name ?? one.FanName), "1", healthOf(one));
    }
  }
  for (const one of drives) {
    const name = words(one.Name) || words(one.Id);
    if (!isThere(one)) continue;
    put("hardware.drive.health", name, "1", healthOf(one));
    put("hardware.drive.life", name, "%", one.PredictedMediaLifeLeftPercent);
    put("hardware.drive.failing", name, "0/1", one.FailurePredicted);
  }
  return figures;
}

/** An entry of a machine's own log that is a warning or worse. */
export interface HardwareEvent {
  /** What it is known by within its log. */
  id: string;
  atMs: number | undefined;
  summary: string;
}

/** Warnings and worse among the entries of a machine's logs (DSP0268 LogEntry), in the order of their times. */
export function hardwareEvents({ system, log }: Pick<HardwareDocuments, "system" | "log">): HardwareEvent[] {
  const name = words(system.HostName).split(".")[0] || words(system.Name) || "The machine";
  return log
    .flatMap((entry): HardwareEvent[] => {
      const severity = words(entry.Severity);
      if (severity !== "Warning" && severity !== "Critical") return [];
      const atMs = readInstant(entry.EventTimestamp) ?? readInstant(entry.Created);
      const message = words(entry.Message) || words(entry.MessageId);
      return message === ""
        ? []
        : [
            {
              id: textOf(entry["@odata.id"], 300) || `${words(entry.Id)} ${words(entry.Created)}`,
              atMs,
              summary: `${name}: ${message} (${severity.toLowerCase()}, its own log)`,
            },
          ];
    })
    .sort((a, b) => (a.atMs ?? 0) - (b.atMs ?? 0));
}
