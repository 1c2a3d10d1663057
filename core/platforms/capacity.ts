/** What something uses of a resource over a window: the mean, and the highest it reached. */
export interface Use {
  mean: number;
  peak: number;
}

/** A machine that could be moved. Processors in numbers of them, memory in bytes. */
export interface Movable {
  id: number;
  name: string;
  cpu: Use;
  memory: Use;
  /** Processors that it was given. */
  processors: number;
  /** Those of one set stand in for each other: they keep apart. */
  set: string | null;
}

export interface Carrier {
  id: number;
  name: string;
  /** What it has for its machines. */
  cpu: number;
  memory: number;
  guests: readonly Movable[];
  /** What it uses for itself. */
  own: { cpu: number; memory: number };
}

export interface Place {
  carrier: number;
  name: string;
  /** Left of processors and memory, on average and at the worst moment, after it has come; below 0 it does not fit. */
  cpuLeft: Use;
  memoryLeft: Use;
  /** By mean alone, or even if all peaks came together. */
  fits: "always" | "on average" | "not";
  /** Why not, or what speaks against it: "web-02 of the same set is there". */
  against: string | null;
}

/** Share of processors and memory that is kept free: a host that is filled to the brim answers slowly. */
export const HEADROOM = 0.1;

const sumOf = (guests: readonly Movable[], which: "cpu" | "memory", how: keyof Use) =>
  guests.reduce((sum, one) => sum + one[which][how], 0);

/** What a carrier would have left with some machines on it. */
function leftOn(carrier: Carrier, guests: readonly Movable[], which: "cpu" | "memory"): Use {
  const usable = carrier[which] * (1 - HEADROOM) - carrier.own[which];
  return { mean: usable - sumOf(guests, which, "mean"), peak: usable - sumOf(guests, which, "peak") };
}

/**
 * Where a machine could move to: the places that fit whatever comes first, then those that fit on average, the ones with
 * most left first. Peaks are added up, as if all came at once; that is more than will be needed.
 */
export function placesFor(guest: Movable, carriers: readonly Carrier[]): Place[] {
  return carriers
    .filter((one) => !one.guests.some((other) => other.id === guest.id))
    .map((one): Place => {
      const filled = [...one.guests, guest];
      const cpuLeft = leftOn(one, filled, "cpu");
      const memoryLeft = leftOn(one, filled, "memory");
      const twin = guest.set === null ? undefined : one.guests.find((other) => other.set === guest.set);
      const fits =
        twin || cpuLeft.mean < 0 || memoryLeft.mean < 0
          ? "not"
          : cpuLeft.peak < 0 || memoryLeft.peak < 0
            ? "on average"
            : "always";
      return {
        carrier: one.id,
        name: one.name,
        cpuLeft,
        memoryLeft,
        fits,
        against: twin
          ? `${twin.name} of the same set is there`
          : cpuLeft.mean < 0
            ? "too few processors"
            : memoryLeft.mean < 0
              ? "too little memory"
              : cpuLeft.peak < 0
                ? "processors run short if all peaks come together"
                : memoryLeft.peak < 0
                  ? "memory runs short if all peaks come together"
                  : null,
      };
    })
    .sort((a, b) => RANK[a.fits] - RANK[b.fits] || b.cpuLeft.mean / 1 - a.cpuLeft.mean || a.name.localeCompare(b.name));
}

const RANK = { always: 0, "on average": 1, not: 2 } as const;

/** What becomes of the machines of a carrier that is lost. */
export interface Loss {
  moved: { guest: Movable; to: { id: number; name: string }; fits: Place["fits"] }[];
  stranded: { guest: Movable; why: string }[];
}

/** Spreads the machines of a lost carrier over the others, the largest first, each to where most is left. */
export function withoutCarrier(lost: Carrier, others: readonly Carrier[]): Loss {
  const filled = new Map(others.map((one) => [one.id, [...one.guests]]));
  const moved: Loss["moved"] = [];
  const stranded: Loss["stranded"] = [];
  const bySize = [...lost.guests].sort(
    (a, b) => b.memory.mean - a.memory.mean || b.cpu.mean - a.cpu.mean || a.id - b.id,
  );
  for (const guest of bySize) {
    const places = placesFor(
      guest,
      others.map((one) => ({ ...one, guests: filled.get(one.id) as Movable[] })),
    );
    const [best] = places;
    if (!best || best.fits === "not") {
      stranded.push({ guest, why: best?.against ?? "there is no other host" });
      continue;
    }
    filled.get(best.carrier)?.push(guest);
    moved.push({ guest, to: { id: best.carrier, name: best.name }, fits: best.fits });
  }
  return { moved, stranded };
}

/** When something is full, by the trend of its own past. */
export interface Forecast {
  /** Days until then; null where it does not grow. */
  days: number | null;
  /** The same if it grew as fast, or as slowly, as the steepest and flattest of most pairs of days. */
  soonest: number | null;
  latest: number | null;
  perDay: number;
}

const FEWEST_POINTS = 3;
const DAY_MS = 86_400_000;

/**
 * Days until a level is reached: a line through the points by the median of all slopes (Theil 1950, Sen 1968), which single odd
 * days do not bend; the span is from the tenth to the ninetieth percentile of those slopes. Undefined for less than three points.
 */
export function daysUntil(points: readonly { atMs: number; value: number }[], full: number): Forecast | undefined {
  if (points.length < FEWEST_POINTS) return undefined;
  const slopes: number[] = [];
  for (let a = 0; a < points.length; a++)
    for (let b = a + 1; b < points.length; b++) {
      const [from, to] = [points[a], points[b]] as [(typeof points)[number], (typeof points)[number]];
      if (to.atMs > from.atMs) slopes.push(((to.value - from.value) / (to.atMs - from.atMs)) * DAY_MS);
    }
  if (slopes.length === 0) return undefined;
  slopes.sort((a, b) => a - b);
  const at = (share: number) => slopes[Math.min(slopes.length - 1, Math.floor(slopes.length * share))] as number;
  const last = (points.at(-1) as (typeof points)[number]).value;
  const until = (slope: number) => (last >= full ? 0 : slope > 0 ? (full - last) / slope : null);
  return { days: until(at(0.5)), soonest: until(at(0.9)), latest: until(at(0.1)), perDay: at(0.5) };
}

/** What a host has of one resource, and what its machines were given of it. */
export interface Given {
  site: string;
  /** What may be given away: what is installed, less what is kept free. */
  usable: number;
  allotted: number;
}

export interface SiteRoom {
  site: string;
  hosts: number;
  usable: number;
  allotted: number;
  /** Room that is left when the largest host of the site is lost; below 0 its machines find no place. */
  oneLess: number;
}

/** Room at each site for what must have a place whatever happens: with all hosts, and with the largest one lost. */
export function roomOfSites(hosts: readonly Given[]): SiteRoom[] {
  const sites = new Map<string, Given[]>();
  for (const one of hosts) sites.set(one.site, [...(sites.get(one.site) ?? []), one]);
  return [...sites]
    .map(([site, own]) => {
      const usable = own.reduce((sum, one) => sum + one.usable, 0);
      const allotted = own.reduce((sum, one) => sum + one.allotted, 0);
      const largest = own.reduce((most, one) => Math.max(most, one.usable), 0);
      return { site, hosts: own.length, usable, allotted, oneLess: usable - largest - allotted };
    })
    .sort((a, b) => a.oneLess - b.oneLess || a.site.localeCompare(b.site));
}
