import type { Measurement } from "./measurement";
import { benchDurable } from "./durable";
import { benchSpans } from "./spans";
import { benchSweep } from "./sweep";
import { benchLogs } from "./logs";
import { measureCauses } from "./causes";
import { measureJudging } from "./judging";
import { benchMap } from "./map";
import { benchRuns } from "./runs";
import { benchTelling } from "./telling";
import { benchPlanning } from "./planning";
import { benchOtlp } from "./otlp";
import { benchSamples } from "./samples";
import { benchSpend } from "./spend";
import { benchTick } from "./tick";
import { benchWorld } from "./world";

/** What finding costs; the first needs stand-ins on 127.50.0.0/20. */
export const measureSweep = async (): Promise<Measurement[]> => [await benchSweep(), ...benchPlanning()];

/** What costs cost. */
export const measureSpend = (root: string): Promise<Measurement[]> => benchSpend(root);

/** What the map and the structure of a large estate cost. */
export const measureMap = (root: string): Measurement[] => benchMap(root);

/** The measurements that need no running application; scripts/bench.mjs adds the others. */
export async function measureParts(root: string): Promise<Measurement[]> {
  return [
    benchTick(root),
    benchDurable(root),
    ...benchSamples(root),
    await benchOtlp(root),
    ...benchLogs(root),
    benchSpans(root),
    ...benchWorld(root),
  ];
}

/** What judging costs: ticks, learning, previews. */
export const judging = (root: string): Measurement[] => measureJudging(root);
/** What it costs to find causes in a bad tick. */
export const causes = (): Measurement[] => measureCauses();
/** What it costs to decide who is told, and to draw what goes with it. */
export const runs = (root: string): Promise<Measurement[]> => benchRuns(root);
export const telling = (root: string): Measurement[] => benchTelling(root);
