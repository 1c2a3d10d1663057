/** A thing that a root or an alarm is about: a host, a process of it, or a line between sites. */
export interface Thing {
  host?: string | undefined;
  process?: string | undefined;
  between?: [string, string] | undefined;
  /** An alarm of a service itself: what it is hurt by. */
  service?: string | undefined;
}

/** An alarm that was raised in a case and went into an incident; what opened none is no more than a warning. */
export interface SaidAlarm extends Thing {
  id: number;
  raisedAtMs: number;
  incident: number;
  what: string;
}

export interface SaidIncident {
  id: number;
  title: string;
  openedAtMs: number;
  services: string[];
  /** What is suspected, likeliest first, with the probability where one is said. */
  suspects: (Thing & { probability?: number | undefined })[];
}

/** What was said in a case between its beginning and its repair. */
export interface Said {
  startedAtMs: number;
  alarms: SaidAlarm[];
  incidents: SaidIncident[];
  services: { degraded: string[]; down: string[] };
}

/** What was true of it. */
export interface Truth {
  id: string;
  group: string;
  /** Each root with the things that count as having named it; none where nothing is wrong. */
  roots: Thing[][];
  services: { degraded: string[]; down: string[] };
  incidents: number;
  noticedWithinMs: number;
  /** Which faults of the case can be felt at a thing; empty where none. */
  faultsAt: (thing: Thing) => string[];
}

export interface CaseScore {
  id: string;
  group: string;
  noticedAfterMs: number | undefined;
  inTime: boolean;
  /** Place of each root among what was suspected, from 1; 0 where it was not. By host, and by process or line. */
  hostRanks: number[];
  elementRanks: number[];
  /** What was said first, with its probability; undefined where nothing was said, or nothing was wrong. */
  first?: { probability: number; isRight: boolean };
  alarms: number;
  incidents: number;
  /** Pairs of alarms: together in truth and as said, in truth only, as said only. */
  pairs: { both: number; missed: number; wrong: number };
  services: { degraded: Confusion; down: Confusion };
}

export interface Confusion {
  right: number;
  missed: number;
  wrong: number;
}

const sameLine = (a: Thing, b: Thing) =>
  a.between !== undefined && b.between !== undefined && a.between.every((site) => b.between?.includes(site));

/** Whether something suspected is one of the things that count, by host alone or exactly. */
function names(suspect: Thing, accepted: readonly Thing[], by: "host" | "element"): boolean {
  return accepted.some((one) =>
    one.between
      ? sameLine(suspect, one)
      : suspect.host === one.host && (by === "host" || (suspect.process ?? "") === (one.process ?? "")),
  );
}

/** What is suspected, over all incidents: the first of each, then the second of each, without repetition. */
export function rankingOf(incidents: readonly SaidIncident[], by: "host" | "element"): Thing[] {
  const ranking: Thing[] = [];
  const key = (one: Thing) =>
    one.between ? [...one.between].sort().join("|") : by === "host" ? one.host : `${one.host} ${one.process ?? ""}`;
  const seen = new Set<string | undefined>();
  const most = Math.max(0, ...incidents.map((one) => one.suspects.length));
  for (let place = 0; place < most; place++)
    for (const incident of incidents) {
      const suspect = incident.suspects[place];
      if (!suspect || seen.has(key(suspect))) continue;
      seen.add(key(suspect));
      ranking.push(suspect);
    }
  return ranking;
}

function confusion(said: readonly string[], true_: readonly string[]): Confusion {
  return {
    right: said.filter((one) => true_.includes(one)).length,
    missed: true_.filter((one) => !said.includes(one)).length,
    wrong: said.filter((one) => !true_.includes(one)).length,
  };
}

/** Place of each root among what was suspected, from 1; 0 where it was not. */
export const ranksOf = (
  incidents: readonly SaidIncident[],
  roots: readonly (readonly Thing[])[],
  by: "host" | "element",
): number[] => {
  const ranking = rankingOf(incidents, by);
  return roots.map((accepted) => ranking.findIndex((one) => names(one, accepted, by)) + 1);
};

/**
 * What was said first of a case's first incident: with which probability it lies on that host, as the page adds it up of
 * the host and its processes, and whether it did.
 */
function firstSaid(incidents: readonly SaidIncident[], hostRanks: readonly number[]): Pick<CaseScore, "first"> {
  const suspects = incidents[0]?.suspects ?? [];
  const [likeliest] = suspects;
  if (likeliest?.probability === undefined || hostRanks.length === 0) return {};
  const there = suspects.filter((one) => one === likeliest || (one.host !== undefined && one.host === likeliest.host));
  const probability = Math.min(
    1,
    there.reduce((sum, one) => sum + (one.probability ?? 0), 0),
  );
  return { first: { probability, isRight: hostRanks.includes(1) } };
}

/** One band of a reliability table: of those said with about this probability, so many were right. */
export interface Band {
  from: number;
  count: number;
  said: number;
  right: number;
}

/** The reliability table of what was said first, in fifths of the probability. */
export function reliability(scores: readonly CaseScore[]): Band[] {
  const bands = new Map<number, Band>();
  for (const { first } of scores) {
    if (!first) continue;
    const from = Math.min(4, Math.floor(first.probability * 5)) / 5;
    const band = bands.get(from) ?? { from, count: 0, said: 0, right: 0 };
    bands.set(from, {
      from,
      count: band.count + 1,
      said: band.said + first.probability,
      right: band.right + (first.isRight ? 1 : 0),
    });
  }
  return [...bands.values()]
    .sort((a, b) => a.from - b.from)
    .map((one) => ({ ...one, said: one.said / one.count, right: one.right / one.count }));
}

/** Expected calibration error: how far what was said is from how often it was right, over the bands by their cases. */
export function calibrationError(scores: readonly CaseScore[]): number {
  const bands = reliability(scores);
  const count = bands.reduce((sum, one) => sum + one.count, 0);
  return count ? bands.reduce((sum, one) => sum + one.count * Math.abs(one.said - one.right), 0) / count : Number.NaN;
}

/** Scores one case. Alarms that no fault of the case can be felt at count as wrongly grouped where they are grouped. */
export function scoreCase(said: Said, truth: Truth): CaseScore {
  const first = Math.min(...said.incidents.map((one) => one.openedAtMs));
  const noticedAfterMs = said.incidents.length ? first - said.startedAtMs : undefined;
  const pairs = { both: 0, missed: 0, wrong: 0 };
  const faults = new Map(said.alarms.map((alarm) => [alarm, truth.faultsAt(alarm)]));
  said.alarms.forEach((a, index) => {
    for (const b of said.alarms.slice(index + 1)) {
      const together = faults.get(a)?.some((fault) => faults.get(b)?.includes(fault)) ?? false;
      const grouped = a.incident === b.incident;
      if (together && grouped) pairs.both++;
      else if (together) pairs.missed++;
      else if (grouped) pairs.wrong++;
    }
  });
  const ranks = (by: "host" | "element") => ranksOf(said.incidents, truth.roots, by);
  const hostRanks = ranks("host");
  return {
    id: truth.id,
    group: truth.group,
    noticedAfterMs,
    inTime: noticedAfterMs !== undefined && noticedAfterMs <= truth.noticedWithinMs,
    hostRanks,
    ...firstSaid(said.incidents, hostRanks),
    elementRanks: ranks("element"),
    alarms: said.alarms.length,
    incidents: said.incidents.length,
    pairs,
    services: {
      degraded: confusion(said.services.degraded, truth.services.degraded),
      down: confusion(said.services.down, truth.services.down),
    },
  };
}

/**
 * Accuracy at k as it is published for finding root causes (Kim, Sumbaly, Shah 2013, “Root cause detection in a
 * service-oriented architecture”, there as PR@k): the mean over the cases of how many of the first `k` suspected are
 * roots, of as many as can be.
 * @param cases the places of each case's roots, 0 for what was not named
 */
export function accuracyAt(cases: readonly (readonly number[])[], k: number): number {
  const shares = cases.map(
    (ranks) => ranks.filter((rank) => rank > 0 && rank <= k).length / Math.min(k, ranks.length || 1),
  );
  return shares.length ? shares.reduce((sum, one) => sum + one, 0) / shares.length : Number.NaN;
}

/** Mean accuracy over the first five places. */
export const averageAt5 = (cases: readonly (readonly number[])[]): number =>
  [1, 2, 3, 4, 5].reduce((sum, k) => sum + accuracyAt(cases, k), 0) / 5;

/** Harmonic mean of precision and recall; 1 where there was nothing to say and nothing was said. */
export function f1(cases: readonly Confusion[]): number {
  const sum = { right: 0, missed: 0, wrong: 0 };
  for (const one of cases) {
    sum.right += one.right;
    sum.missed += one.missed;
    sum.wrong += one.wrong;
  }
  const all = 2 * sum.right + sum.missed + sum.wrong;
  return all === 0 ? 1 : (2 * sum.right) / all;
}

export function quantile(values: readonly number[], q: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.max(0, Math.ceil(q * sorted.length) - 1))] ?? Number.NaN;
}

export interface Row {
  name: string;
  value: number;
  unit: string;
  better: "higher" | "lower";
  target?: number;
}

const rounded = (value: number, places = 3) => Number(value.toFixed(places));

/** The figures of a run, in the form of `bench/results.json`; a figure that nothing was measured for is left out. */
export function rowsOf(
  scores: readonly CaseScore[],
  label: string,
  quiet: { hours: number; incidents: number } | undefined,
): Row[] {
  const faults = scores.filter((one) => one.hostRanks.length > 0);
  const single = faults.filter((one) => one.hostRanks.length === 1);
  const benign = scores.filter((one) => one.hostRanks.length === 0);
  const times = faults.flatMap((one) => one.noticedAfterMs ?? []).map((ms) => ms / 1000);
  const hosts = faults.map((one) => one.hostRanks);
  const elements = faults.map((one) => one.elementRanks);
  const pairs = { both: 0, missed: 0, wrong: 0 };
  for (const one of faults) for (const key of ["both", "missed", "wrong"] as const) pairs[key] += one.pairs[key];
  const noticed = single.filter((one) => one.incidents > 0);
  const mean = (list: readonly number[]) => list.reduce((sum, one) => sum + one, 0) / list.length;
  const all: [string, number, string, "higher" | "lower", number?][] = [
    ["faults noticed", faults.filter((one) => one.incidents > 0).length / faults.length, "share", "higher", 0.97],
    [
      "faults noticed within their time",
      faults.filter((one) => one.inTime).length / faults.length,
      "share",
      "higher",
      0.97,
    ],
    ["time to notice, median", quantile(times, 0.5), "s", "lower", 90],
    ["time to notice, 95th", quantile(times, 0.95), "s", "lower", 240],
    ["AC@1 by host", accuracyAt(hosts, 1), "share", "higher", 0.85],
    ["AC@3 by host", accuracyAt(hosts, 3), "share", "higher", 0.96],
    ["Avg@5 by host", averageAt5(hosts), "share", "higher"],
    ["AC@1 by process, operation or line", accuracyAt(elements, 1), "share", "higher", 0.75],
    ["AC@3 by process, operation or line", accuracyAt(elements, 3), "share", "higher", 0.92],
    ["Avg@5 by process, operation or line", averageAt5(elements), "share", "higher"],
    ["calibration error of the first cause, by host", calibrationError(faults), "share", "lower", 0.1],
    ["incidents for one fault that was noticed", mean(noticed.map((one) => one.incidents)), "incidents", "lower", 1.15],
    ["alarms for one incident", mean(noticed.map((one) => one.alarms / one.incidents)), "alarms", "lower"],
    ["grouping, pairwise precision", pairs.both / (pairs.both + pairs.wrong), "share", "higher", 0.95],
    ["grouping, pairwise recall", pairs.both / (pairs.both + pairs.missed), "share", "higher", 0.95],
    [
      "services degraded, F1",
      faults.length ? f1(faults.map((one) => one.services.degraded)) : Number.NaN,
      "share",
      "higher",
      0.9,
    ],
    [
      "services down, F1",
      faults.length ? f1(faults.map((one) => one.services.down)) : Number.NaN,
      "share",
      "higher",
      0.9,
    ],
    [
      "incidents over the benign events",
      benign.length ? benign.reduce((sum, one) => sum + one.incidents, 0) : Number.NaN,
      "incidents",
      "lower",
      1,
    ],
    [
      "false incidents a quiet day",
      quiet ? (quiet.incidents * 24) / quiet.hours : Number.NaN,
      "incidents",
      "lower",
      0.3,
    ],
  ];
  return all
    .filter(([, value]) => Number.isFinite(value))
    .map(([name, value, unit, better, target]) => ({
      name: `${label}: ${name}`,
      value: rounded(value),
      unit,
      better,
      ...(target === undefined ? {} : { target }),
    }));
}
