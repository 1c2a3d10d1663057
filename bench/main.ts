import type { Measurement } from "./measurement";
import { benchSweep } from "./sweep";
import { benchSamples } from "./samples";
import { benchTick } from "./tick";

/** The measurements that need no running application; scripts/bench.mjs adds the others. */
export async function measureParts(root: string): Promise<Measurement[]> {
  return [await benchSweep(), benchTick(root), ...benchSamples(root)];
}
