import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import type { IncidentCause } from "../store/incidents";

/** A cause with how likely it is that it lies on its host at all: there itself, in one of its processes, or beside. */
export type PlacedCause = IncidentCause & { onHost: { id: number; name: string; probability: number } | null };

/** So much likelier its host has to be, to be worth a word. */
const WORTH = 0.03;

/** Adds up what is said of one host: of a machine and its process often both could be meant, and each alone looks unsure. */
export function placed(db: Db, causes: readonly IncidentCause[]): PlacedCause[] {
  const hosts = causes.map(({ componentId }) => {
    const row = componentId === null ? undefined : componentById(db, componentId);
    return row && (row.host_id === null ? row : componentById(db, row.host_id));
  });
  return causes.map((cause, place) => {
    const host = hosts[place];
    if (!host) return { ...cause, onHost: null };
    const sum = causes.reduce((all, one, other) => all + (hosts[other]?.id === host.id ? one.probability : 0), 0);
    const probability = Math.min(1, sum);
    const isWorth = probability - cause.probability >= WORTH;
    return { ...cause, onHost: isWorth ? { id: host.id, name: host.name, probability } : null };
  });
}
