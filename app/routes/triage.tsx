import { Form, useSearchParams } from "react-router";
import { z } from "zod";
import { clockTime, dayAndTime } from "#core/time/windows";
import { logLevel } from "#core/telemetry/log-levels";
import type { Route } from "./+types/triage";
import { iso, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { RightButton } from "../ui/RightButton";
import { Caption, Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

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
type Found = Extract<Page, { causes: unknown }>;

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

function FoundParts({ page }: { page: Found }) {
  const span = `from=${iso(page.fromMs)}&to=${iso(page.toMs)}`;
  return (
    <div
      style={{ display: "grid", gap: 12, gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)", alignItems: "start" }}
    >
      <Section title="What may be behind it" pad={false}>
        {page.causes.length ? (
          <PlainTable>
            <tbody>
              {page.causes.map((cause) => (
                <tr key={cause.name}>
                  <td className="num top" style={{ whiteSpace: "nowrap" }}>
                    {Math.max(1, Math.round(cause.probability * 100))} %
                  </td>
                  <td>
                    {cause.componentId === null ? (
                      cause.name
                    ) : (
                      <KeepLink to={`/estate/${cause.componentId}?${span}`} strong={cause.isRoot}>
                        {cause.name}
                      </KeepLink>
                    )}
                    <Caption>{cause.reasons.join("; ")}</Caption>
                  </td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        ) : (
          <div className="hx-pad">
            <Empty>Nothing it relies on was unusual then. Try a moment earlier or later.</Empty>
          </div>
        )}
      </Section>
      <div style={{ display: "grid", gap: 12 }}>
        <Section title={`Unusual: ${page.odd.length + page.alarms.length}`} pad={false}>
          <PlainTable>
            <tbody>
              {page.alarms.map((one) => (
                <tr key={`a${one.id}`}>
                  <td className="top">{clockTime(one.onset_at)}</td>
                  <td>
                    {one.subject}: {one.text}
                    <Caption>alarm, {one.worst}</Caption>
                  </td>
                </tr>
              ))}
              {page.odd.map((one) => (
                <tr key={one.id}>
                  <td className="top">{clockTime(one.onsetMs)}</td>
                  <td>
                    {one.componentId === null ? (
                      one.name
                    ) : (
                      <KeepLink to={`/estate/${one.componentId}?${span}`}>{one.name}</KeepLink>
                    )}
                    : {one.text}
                    <Caption>score {Math.round(one.score)}</Caption>
                  </td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
        {page.changes.length ? (
          <Section title="Changes just before" pad={false}>
            <PlainTable>
              <tbody>
                {page.changes.map((one) => (
                  <tr key={one.id}>
                    <td className="top">{clockTime(one.at)}</td>
                    <td>
                      {one.summary}
                      <Caption>
                        {one.standing === "none" ? "without a ticket" : (one.ref ?? "no ticket needed")}
                      </Caption>
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          </Section>
        ) : null}
        {page.logs.length ? (
          <Section title="Logs: new or much more frequent" pad={false}>
            <PlainTable>
              <tbody>
                {page.logs.map((one) => (
                  <tr key={`${one.patternId} ${one.componentId}`}>
                    <td className="num top">{one.count}</td>
                    <td>
                      <KeepLink to={`/signals/logs?pattern=${one.patternId}&component=${one.componentId}&${span}`}>
                        {one.text}
                      </KeepLink>
                      <Caption>
                        {one.component}, {logLevel(one.severity)}
                      </Caption>
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          </Section>
        ) : null}
        {page.incidents.length ? (
          <Section title="Incidents open then">
            {page.incidents.map((one) => (
              <div key={one.id}>
                <KeepLink to={`/incidents/${one.id}`}>{one.title}</KeepLink>
              </div>
            ))}
          </Section>
        ) : null}
      </div>
    </div>
  );
}
