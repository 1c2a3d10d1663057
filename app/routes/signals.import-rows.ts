import { z } from "zod";
import type { Route } from "./+types/signals.import-rows";
import { act } from "../shell/answers.server";

const MOST_SAMPLES = 5000;

const schema = z.strictObject({
  file: z.string().min(1).max(120),
  componentId: z.number().int().min(1).nullable(),
  series: z
    .array(
      z.strictObject({
        metric: z.string().trim().min(1).max(200),
        instance: z.string().max(200),
        unit: z.string().min(1).max(40),
        times: z.array(z.number().int().min(946_684_800_000).max(4_102_444_800_000)).max(MOST_SAMPLES),
        // What is no number comes as null in JSON.
        values: z.array(z.number().nullable()).max(MOST_SAMPLES),
      }),
    )
    .max(500),
});

/** Takes one part of a file in, as the page read it; answers when it is safe. */
export async function action({ request, context }: Route.ActionArgs) {
  const parsed = schema.safeParse(await request.json().catch(() => null));
  if (!parsed.success || parsed.data.series.some((one) => one.times.length !== one.values.length))
    return {
      ok: false as const,
      problem: "Part of the file could not be imported: its format is wrong. Reload the page and try again.",
    };
  const { file, componentId, series } = parsed.data;
  const kept = await act(context, "samples.import", {
    file,
    componentId,
    series: series.map((one) => ({ ...one, values: one.values.map((value) => value ?? Number.NaN) })),
  });
  return kept.ok ? { ok: true as const, ...kept.value } : { ok: false as const, problem: kept.refusal.data.problem };
}
