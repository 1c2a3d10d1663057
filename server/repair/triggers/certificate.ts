import type { CertificateTrigger } from "#core/repair/triggers/certificate";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { factRowsAt } from "../../store/facts";
import type { TriggerEyes } from "./due";

/** Certificates that listeners present, as the last sweep found them. */
export const certificateEyes: TriggerEyes<CertificateTrigger> = {
  everyMs: HOUR_MS / 6,
  due: ({ daysLeft }, scope, { db, now }) => {
    const ends = new Map(factRowsAt(db, "certificate expires", now()).map((one) => [one.component_id, one.value]));
    const names = new Map(factRowsAt(db, "certificate for", now()).map((one) => [one.component_id, one.value]));
    return scope.flatMap((component) => {
      const until = Date.parse(ends.get(component.id) ?? "");
      const days = Math.floor((until - now()) / DAY_MS);
      if (Number.isNaN(until) || days > daysLeft) return [];
      const said = days < 0 ? `ended ${-days} days ago` : `ends in ${days} ${days === 1 ? "day" : "days"}`;
      const name = names.get(component.id) ?? "";
      return [
        {
          component,
          instance: component.process ?? "",
          why: `Its certificate${name ? ` for ${name}` : ""} ${said}`,
          words: { "due.process": component.process ?? "", "due.days": String(days), "due.names": name },
        },
      ];
    });
  },
};
