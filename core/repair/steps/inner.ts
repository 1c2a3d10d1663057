import { z } from "zod";

let schema: z.ZodType | undefined;

/** The register says what a step is; steps that hold steps only refer to it. */
export function tellSteps(steps: z.ZodType): void {
  schema = steps;
}

/** A list of steps inside a step. */
export const innerSteps = z.lazy(() =>
  z.array(schema ?? z.never()).max(40, "At most 40 steps in a row."),
) as unknown as z.ZodType<unknown[]>;
