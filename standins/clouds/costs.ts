import { scatter, seedOf } from "../rhythm";
import type { CloudView } from "./view";

const DAY_MS = 86_400_000;
const HOURS = 24;
/** Accounts are so many days old. */
export const ACCOUNT_DAYS = 200;

/** One charge: what it is of, for which time, and how much, in the currency of the account. */
export interface Charge {
  id: string;
  fromMs: number;
  toMs: number;
  /** Name and family of what is charged for. */
  product: string;
  family: "compute" | "storage" | "network" | "database" | "serverless" | "support";
  resource: string;
  name: string;
  region: string;
  kind: "usage" | "fee" | "credit" | "correction";
  text: string;
  unit: string;
  quantity: number;
  list: number;
  net: number;
  tags: Readonly<Record<string, string>>;
}

/** Prices of an hour, a day, a GiB, a call: those of a pretended price list. */
const PRICE = { core: 0.0235, memoryGiB: 0.0031, volumeGiB: 0.0031, bucketGiB: 0.00072, request: 0.0000042 };
const BALANCER_DAY = 0.62;
const DATABASE_DAY: Readonly<Record<string, number>> = { "dm-2": 4.1, "dm-4": 8.6, "db.2": 4.4 };
const DATABASE_GIB = 0.0041;
const CALL = 0.0000034;
const SUPPORT_MONTH = 120;
const REQUESTS_A_DAY = 240_000;
const CALLS_A_DAY = 410_000;

const monthOf = (ms: number) => Date.UTC(new Date(ms).getUTCFullYear(), new Date(ms).getUTCMonth(), 1);
const monthAfter = (ms: number) => Date.UTC(new Date(ms).getUTCFullYear(), new Date(ms).getUTCMonth() + 1, 1);

/** What a cloud charges: for whole days that are over, from what was there and how it is used on such a day. */
export class CloudCosts {
  constructor(
    private readonly view: CloudView,
    /** When the account began. */
    private readonly sinceMs: number,
  ) {}

  /** Charges of the month of an instant, as they are known at another one. */
  ofMonth(monthMs: number, atMs: number): Charge[] {
    const first = Math.max(monthOf(monthMs), Math.floor(this.sinceMs / DAY_MS) * DAY_MS);
    const end = Math.min(monthAfter(monthOf(monthMs)), Math.floor(atMs / DAY_MS) * DAY_MS);
    if (end <= first) return [];
    const charges: Charge[] = [];
    const present = { machines: this.view.machines(atMs), volumes: this.view.volumes(atMs) };
    for (let dayMs = first; dayMs < end; dayMs += DAY_MS) charges.push(...this.ofDay(dayMs, present));
    charges.push(...this.ofAccount(monthOf(monthMs), atMs));
    return charges;
  }

  private ofDay(
    dayMs: number,
    present: { machines: ReturnType<CloudView["machines"]>; volumes: ReturnType<CloudView["volumes"]> },
  ): Charge[] {
    const { cloud } = this.view;
    const { discount } = cloud.charges;
    const charges: Charge[] = [];
    const put = (
      product: string,
      family: Charge["family"],
      one: { id: string; name: string; region: string; tags?: Readonly<Record<string, string>> },
      [quantity, unit, price, text]: readonly [number, string, number, string],
    ) => {
      const times = cloud.charges.surprises.find(
        (each) =>
          each.of === one.name &&
          dayMs >= this.before(each.daysBefore) &&
          dayMs < this.before(each.daysBefore - each.days),
      )?.times;
      const used = quantity * (times ?? 1);
      charges.push({
        id: `${one.id}-${product}-${dayMs / DAY_MS}`.replaceAll(/[^\w-]+/g, "-"),
        fromMs: dayMs,
        toMs: dayMs + DAY_MS,
        product,
        family,
        resource: one.id,
        name: one.name,
        region: one.region,
        kind: "usage",
        text,
        unit,
        quantity: round(used),
        list: round(used * price),
        net: round(used * price * (1 - discount)),
        tags: one.tags ?? {},
      });
    };
    for (const one of present.machines) {
      if (one.startedMs >= dayMs + DAY_MS) continue;
      const price = one.cores * PRICE.core + one.memoryGiB * PRICE.memoryGiB;
      put("Machines", "compute", one, [HOURS, "Hours", price, `Machine of size ${one.size}`]);
    }
    for (const one of present.volumes)
      put("Drives", "storage", one, [one.sizeGiB, "GiB-Days", PRICE.volumeGiB, "Block storage, fast"]);
    for (const one of cloud.balancers)
      put("Balancers", "network", { id: this.view.balancerId(one.name), ...one }, [
        1,
        "Days",
        BALANCER_DAY,
        "Balancer",
      ]);
    for (const bucket of cloud.buckets) {
      const one = { id: this.view.bucketId(bucket.name), ...bucket };
      const gib = this.view.bucketBytes(bucket, dayMs) / 1024 ** 3;
      put("Object store", "storage", one, [gib, "GiB-Days", PRICE.bucketGiB, "Objects kept"]);
      const requests = bucket.process === undefined ? 0 : usage(one.name, dayMs) * REQUESTS_A_DAY;
      if (requests > 0)
        put("Object requests", "storage", one, [requests, "Requests", PRICE.request, "Requests to objects"]);
    }
    for (const database of cloud.databases) {
      const one = { id: this.view.databaseId(database.name), ...database };
      put("Managed database", "database", one, [
        1,
        "Days",
        DATABASE_DAY[one.size] ?? 5,
        `Database of size ${one.size}`,
      ]);
      put("Database storage", "database", one, [one.storageGiB, "GiB-Days", DATABASE_GIB, "Storage of databases"]);
    }
    for (const one of cloud.functions)
      put("Functions", "serverless", { id: this.view.functionId(one.name), ...one }, [
        usage(one.name, dayMs) * CALLS_A_DAY,
        "Calls",
        CALL,
        "Calls of functions",
      ]);
    return charges;
  }

  private before(days: number): number {
    return Math.floor(this.view.anchorMs / DAY_MS) * DAY_MS - days * DAY_MS;
  }

  /** A fee for the whole month, and what is given back. */
  private ofAccount(monthMs: number, atMs: number): Charge[] {
    const { cloud } = this.view;
    const base = { resource: "", name: "", region: "", tags: {}, quantity: 1, unit: "Months" };
    const fee: Charge = {
      ...base,
      id: `support-${monthMs / DAY_MS}`,
      fromMs: monthMs,
      toMs: monthAfter(monthMs),
      product: "Support",
      family: "support",
      kind: "fee",
      text: "Support at working hours",
      list: SUPPORT_MONTH,
      net: SUPPORT_MONTH,
    };
    const backMs = monthMs + 9 * DAY_MS;
    const back: Charge = {
      ...base,
      id: `correction-${monthMs / DAY_MS}`,
      fromMs: backMs,
      toMs: backMs + DAY_MS,
      product: "Machines",
      family: "compute",
      kind: "correction",
      text: "An hour that was counted twice",
      unit: "Hours",
      list: -round(4 * PRICE.core),
      net: -round(4 * PRICE.core),
      name: cloud.instances[0]?.host ?? "",
    };
    return [fee, ...(backMs + DAY_MS <= atMs && new Date(monthMs).getUTCMonth() % 2 ? [back] : [])];
  }
}

const round = (value: number) => Math.round(value * 1e6) / 1e6;

/** How much something is used on a day: less at weekends, a little more or less by chance. */
function usage(name: string, dayMs: number): number {
  const weekday = new Date(dayMs).getUTCDay();
  const week = weekday === 0 ? 0.35 : weekday === 6 ? 0.55 : 1;
  return week * (1 + 0.06 * scatter(seedOf(name, 19), dayMs / DAY_MS));
}
