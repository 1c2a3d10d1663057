import { z } from "zod";
import { certificate, certificateTrigger } from "./certificate";
import { figure, figureTrigger } from "./figure";
import { nextTime, times, timesTrigger } from "./times";
import type { TriggerKind } from "./trigger";

/** Every kind of trigger, in the order in which they are offered. */
export const TRIGGER_KINDS = [times, figure, certificate] as const;
export const triggerSchema = z.discriminatedUnion("type", [timesTrigger, figureTrigger, certificateTrigger]);
export type Trigger = z.infer<typeof triggerSchema>;
export type TriggerType = Trigger["type"];

const byType = new Map<string, TriggerKind>(TRIGGER_KINDS.map((kind) => [kind.type, kind as unknown as TriggerKind]));
export const kindOfTrigger = (type: TriggerType): TriggerKind => byType.get(type) as TriggerKind;

/** When it is due next by the clock; null for what comes due otherwise, or never. */
export function nextDue(trigger: Trigger, afterMs: number): number | null {
  const next = trigger.type === "times" ? nextTime(trigger, afterMs) : Number.POSITIVE_INFINITY;
  return Number.isFinite(next) ? next : null;
}

export const triggerWords = (trigger: Trigger): string => kindOfTrigger(trigger.type).words(trigger as never);
