import { kindInfo } from "#core/catalogue/kinds";
import {
  daysUntil,
  HEADROOM,
  placesFor,
  withoutCarrier,
  type Carrier,
  type Movable,
  type Use,
} from "#core/platforms/capacity";
import { DAY_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById, partsOfHost } from "../store/estate";
import { spansOf } from "../store/query";
import { relationsAt } from "../store/relations";
import { lastSample, seriesOfComponent, seriesOfMetric } from "../store/signals";
import { guestsOf, RECENT_MS } from "./guests";
import { sizeOfHost } from "./host-size";

/** What is counted on for a trend, and how far it is told ahead. */
const TREND_MS = 14 * DAY_MS;
const MOST_DAYS = 365;
const SPANS = 48;
const FULL_PERCENT = 95;

interface Question {
  id: number;
  atMs: number;
  fromMs: number;
  toMs: number;
}

/** What a host of virtual machines has, has given away and uses, and where its machines could go. */
export function capacityPage(db: Db, { id, atMs, fromMs, toMs }: Question) {
  const component = componentById(db, id);
  if (!component || !kindInfo(component.kind).hasGuests) return null;
  const relations = relationsAt(db, atMs);
  const hosts = [...new Set(relations.flatMap((one) => (one.type === "hosted-by" ? [one.to_id] : [])))].filter(
    (one) => {
      const row = componentById(db, one);
      return row !== undefined && kindInfo(row.kind).hasGuests && row.site === component.site;
    },
  );
  const carriers = new Map(
    [...new Set([id, ...hosts])].map((one) => [one, carrierOf(db, one, relations, { atMs, fromMs, toMs })]),
  );
  const own = carriers.get(id) as Carrier;
  const all = [...carriers.values()];
  return {
    component: { id, name: component.name, kind: component.kind, site: component.site },
    headroom: HEADROOM,
    resources: resourcesOf(db, id, own, { atMs, fromMs, toMs }),
    guests: own.guests.map((guest) => ({
      ...guest,
      places: placesFor(guest, all).map(({ carrier, name, fits, against, cpuLeft, memoryLeft }) => ({
        carrier,
        name,
        fits,
        against,
        cpuLeft: cpuLeft.mean,
        memoryLeft: memoryLeft.mean,
      })),
    })),
    loss: lossOf(own, all),
    disks: disksOf(db, id, atMs),
  };
}

function lossOf(own: Carrier, all: readonly Carrier[]) {
  const { moved, stranded } = withoutCarrier(
    own,
    all.filter((one) => one.id !== own.id),
  );
  return {
    moved: moved.map(({ guest, to, fits }) => ({ id: guest.id, name: guest.name, to, fits })),
    stranded: stranded.map(({ guest, why }) => ({ id: guest.id, name: guest.name, why })),
  };
}

type Window = Omit<Question, "id">;

/** Mean and highest of a series over the window; undefined where it has nothing there. */
function useOf(db: Db, componentId: number, metric: string, { fromMs, toMs }: Window): Use | undefined {
  const series = seriesOfMetric(db, componentId, metric);
  if (!series) return undefined;
  const step = Math.max(1000, Math.ceil((toMs - fromMs) / SPANS / 1000) * 1000);
  const { sum, count, max } = spansOf(db, series, fromMs, toMs, step);
  let total = 0;
  let samples = 0;
  let peak = -Infinity;
  for (let index = 0; index < sum.length; index++) {
    total += sum[index] as number;
    samples += count[index] as number;
    peak = Math.max(peak, max[index] as number);
  }
  return samples > 0 ? { mean: total / samples, peak } : undefined;
}

const scaled = (use: Use | undefined, factor: number): Use => ({
  mean: (use?.mean ?? 0) * factor,
  peak: (use?.peak ?? 0) * factor,
});

function carrierOf(db: Db, id: number, relations: Parameters<typeof guestsOf>[2], window: Window): Carrier {
  const { processors: cpu, memory: installed } = sizeOfHost(db, id, window.atMs);
  const guests = guestsOf(db, id, relations, window.atMs)
    .filter((one) => one.running)
    .map((one): Movable => {
      const memory = one.memoryBytes ?? 0;
      return {
        id: one.id,
        name: one.name,
        cpu: scaled(useOf(db, one.id, "guest.cpu.used", window), (one.processors ?? 1) / 100),
        // What a machine was given it may use at any time.
        memory: { mean: memory, peak: memory },
        processors: one.processors ?? 0,
        set: setOf(db, one.id, window.atMs),
      };
    });
  const used = scaled(useOf(db, id, "cpu.used", window), cpu / 100).mean;
  const theirs = guests.reduce((sum, one) => sum + one.cpu.mean, 0);
  return {
    id,
    name: componentById(db, id)?.name ?? "",
    cpu,
    memory: installed,
    guests,
    own: { cpu: Math.max(0, used - theirs), memory: 0 },
  };
}

/** Machines on which the same programs run stand in for each other; null where nothing is known to run. */
function setOf(db: Db, id: number, atMs: number): string | null {
  const labels = partsOfHost(db, id, atMs)
    .flatMap(({ label, process }) => label ?? process ?? [])
    .sort();
  return labels.length ? labels.join(" ") : null;
}

/** Installed, usable, allotted and used of processors and memory. */
function resourcesOf(db: Db, id: number, own: Carrier, window: Window) {
  const sum = (values: readonly number[]) => values.reduce((total, one) => total + one, 0);
  return [
    {
      name: "Processors",
      unit: "{cpu}",
      installed: own.cpu,
      usable: own.cpu * (1 - HEADROOM),
      allotted: sum(own.guests.map((one) => one.processors)),
      used: scaled(useOf(db, id, "cpu.used", window), own.cpu / 100),
    },
    {
      name: "Memory",
      unit: "By",
      installed: own.memory,
      usable: own.memory * (1 - HEADROOM),
      allotted: sum(own.guests.map((one) => one.memory.mean)),
      used: scaled(useOf(db, id, "memory.used", window), own.memory / 100),
    },
  ];
}

/** Disks with the trend of their days. */
function disksOf(db: Db, id: number, atMs: number) {
  return seriesOfComponent(db, id)
    .filter((one) => one.metric === "disk.used")
    .map((series) => {
      const { starts, last } = spansOf(db, series, atMs - TREND_MS, atMs, DAY_MS);
      const points = [...starts].map((start, index) => ({ atMs: start, value: last[index] as number }));
      const forecast = daysUntil(points, FULL_PERCENT);
      const within = (days: number | null | undefined) => (days == null || days > MOST_DAYS ? null : days);
      return {
        mount: series.instance,
        percent: lastSample(db, series.id, atMs, RECENT_MS)?.value ?? null,
        perDay: forecast?.perDay ?? null,
        days: within(forecast?.days),
        soonest: within(forecast?.soonest),
        latest: within(forecast?.latest),
        isKnown: forecast !== undefined,
      };
    });
}
