import { addKinds, type Icon, type RelationType, type Stratum } from "./kinds";
import { addMetrics, type Instrument } from "./metrics";

/** What kits add to the catalogue; what is left out of a kind is taken from the kind it is like. */
export interface Extension {
  kinds: readonly {
    kind: string;
    like: string;
    label: string;
    plural: string;
    stratum?: Stratum | undefined;
    icon?: Icon | undefined;
    headline?: { metric: string; word: string } | null | undefined;
    charts?: readonly string[] | undefined;
    relations?: readonly RelationType[] | undefined;
  }[];
  metrics: readonly {
    metric: string;
    label: string;
    unit: string;
    instrument?: Instrument | undefined;
    bad?: "high" | "low" | null | undefined;
    combine?: "sum" | "mean" | "max" | undefined;
    instanceAs?: "of" | "after" | undefined;
    symptom?: { high?: string | undefined; low?: string | undefined } | undefined;
    convention?: string | undefined;
  }[];
}

/** Takes up what kits describe; every thread, and each page, does so once at its start. */
export function extendCatalogue({ kinds, metrics }: Extension): void {
  addKinds(
    kinds.map(
      (one) =>
        Object.fromEntries(Object.entries(one).filter(([, value]) => value !== undefined)) as (typeof kinds)[number],
    ),
  );
  addMetrics(metrics);
}
