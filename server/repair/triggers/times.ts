import { triggerWords } from "#core/repair/triggers/registry";
import type { TimesTrigger } from "#core/repair/triggers/times";
import type { TriggerEyes } from "./due";

/** By the clock everything that it is for is due. */
export const timesEyes: TriggerEyes<TimesTrigger> = {
  everyMs: null,
  due: (trigger, scope) =>
    scope.map((component) => ({ component, instance: "", why: triggerWords(trigger), words: {} })),
};
