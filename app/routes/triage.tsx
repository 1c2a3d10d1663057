import { Form, useSearchParams } from "react-router";
import { z } from "zod";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/triage";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { RightButton } from "../ui/RightButton";
import { PageHead } from "../ui/Page";
import { FoundParts, type Found } from "../ui/triage/FoundParts";

export const meta: Route.MetaFunction = () => [{ title: "Triage a complaint · Holotaxis" }];

const schema = z.object({
  service: z.coerce.number().int().min(1).nullable().catch(null).default(null),
  component: z.coerce.number().int().min(1).nullable().catch(null).default(null),
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  return { asked, atMs, page: await context.ask("triage", { ...asked, atMs }) };
}

type Page = Route.ComponentProps["loaderData"]["page"];

function sentenceOf(page: Page, atMs: number, nowMs: number): string {
  if (!page.subject) return "Choose what somebody complains about; the end of the window is when it was felt.";
  const found = page as Found;
  const when = `round ${dayAndTime(atMs, nowMs)}`;
  const [first] = found.causes;
  if (!first) return `Nothing was unusual on ${page.subject.name}, or on what it relies on, ${when}.`;
  return `${page.subject.name} ${when}: likeliest ${first.name}, ${Math.round(first.probability * 100)} %.`;
}

/** Starts from a complaint instead of an alarm: what was unusual on it and on what it relies on, ranked as its cause. */
export default function Triage({ loaderData: { page, asked, atMs } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const [params] = useSearchParams();
  return (
    <>
      <PageHead name="Incidents › Triage a complaint" sentence={sentenceOf(page, atMs, now.nowMs)} />
      <Form method="get" className="hx-ask" style={{ marginBottom: 12 }}>
        {["from", "to", "at"].map((name) =>
          params.get(name) ? <input key={name} type="hidden" name={name} value={params.get(name) ?? ""} /> : null,
        )}
        <label className="hx-caption">
          Service that is slow or failing
          <select className="hx-select" name="service" defaultValue={asked.service ?? ""} required>
            <option value="" disabled>
              choose
            </option>
            {page.services.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <RightButton right="read" type="submit" variant="outlined" size="small">
          Look
        </RightButton>
        <span className="hx-caption">Felt at {dayAndTime(atMs, now.nowMs, true)}: move the window on the ribbon.</span>
      </Form>
      {page.subject ? <FoundParts page={page as Found} /> : null}
    </>
  );
}
