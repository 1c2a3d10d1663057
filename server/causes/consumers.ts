import { kindInfo } from "#core/catalogue/kinds";
import type { Nature } from "#core/catalogue/metrics";
import { grownMost, type Consumer } from "#core/correlation/consumers";
import type { SaidEvidence } from "#core/correlation/reasons";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById, partsOfHost } from "../store/estate";
import { relationsTo } from "../store/relations";
import { readSamples, seriesOfMetrics } from "../store/signals";
import { componentNode, componentOfNode } from "./harm-map";

/** What was used before is the mean of this stretch, which ends so long before it went wrong. */
const PAST_MS = 60 * MINUTE_MS;
const REST_MS = 5 * MINUTE_MS;
/** What is used now is the mean since it went wrong, and of the last moments before: all that is told then is a poll. */
const RECENT_MS = 2 * MINUTE_MS;
const MOST_SHORTAGES = 5;
/** How sure the word of one that grew is, beside an alarm. */
const STRENGTH = 0.6;

interface Shortage {
  /** What each part, or guest, uses of it. */
  metric: string;
  /** Growth that is worth a word, in its unit. */
  least: number;
  symptom: string;
}

/** What runs out on a host, by what uses it: percent of one processor, or bytes. */
const OF_PARTS: Partial<Record<Nature, Shortage>> = {
  busy: { metric: "process.cpu", least: 20, symptom: "Processor use grew most of all" },
  memory: { metric: "process.memory", least: 64 * 1024 ** 2, symptom: "Memory use grew most of all" },
};
const OF_GUESTS: Partial<Record<Nature, Shortage>> = {
  busy: { metric: "guest.cpu.used", least: 20, symptom: "Processor use grew most of all" },
};

/**
 * Evidence against what takes most of what runs out: where a host is short of processors or memory, the process, or the
 * guest of a hypervisor, whose use grew by most of it.
 */
export function consumersOf(
  db: Db,
  evidence: readonly SaidEvidence[],
  untilMs: number,
): (SaidEvidence & { alarms: number[] })[] {
  const known = new Set(evidence.map((one) => `${one.node} ${one.nature}`));
  return evidence
    .filter((one) => !one.isWeak && (one.nature === "busy" || one.nature === "memory"))
    .slice(0, MOST_SHORTAGES)
    .flatMap((short) => {
      const id = componentOfNode(short.node);
      const row = id === undefined ? undefined : componentById(db, id);
      if (!row || !kindInfo(row.kind).isHost) return [];
      const isShared = kindInfo(row.kind).hasGuests === true;
      const shortage = (isShared ? OF_GUESTS : OF_PARTS)[short.nature];
      if (!shortage) return [];
      const users = isShared
        ? relationsTo(db, [row.id], short.onsetMs).flatMap((one) => (one.type === "hosted-by" ? one.from_id : []))
        : partsOfHost(db, row.id, short.onsetMs).map((part) => part.id);
      const most = grownMost(usedBy(db, users, shortage.metric, short.onsetMs, untilMs), shortage.least);
      if (!most || known.has(`${most.node} ${short.nature}`)) return [];
      return {
        node: most.node,
        nature: short.nature,
        strength: STRENGTH * most.share,
        onsetMs: short.onsetMs,
        isWeak: true,
        drains: { node: short.node, share: most.share },
        name: componentById(db, componentOfNode(most.node) ?? 0)?.name ?? "",
        symptom: shortage.symptom,
        alarms: [],
      };
    });
}

function usedBy(db: Db, ids: readonly number[], metric: string, onsetMs: number, untilMs: number): Consumer[] {
  const mean = (series: number, fromMs: number, toMs: number) => {
    const { values } = readSamples(db, series, fromMs, toMs);
    return values.length ? values.reduce((sum, value) => sum + value, 0) / values.length : undefined;
  };
  return [...seriesOfMetrics(db, ids, [metric])].flatMap(([id, own]): Consumer[] => {
    const series = own.get(metric);
    const now = series && mean(series.id, onsetMs - RECENT_MS, untilMs);
    if (!series || now === undefined) return [];
    // What was not there before used nothing.
    const before = mean(series.id, onsetMs - REST_MS - PAST_MS, onsetMs - REST_MS) ?? 0;
    return [{ node: componentNode(id), before, now }];
  });
}
