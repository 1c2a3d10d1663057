import { useSearchParams } from "react-router";
import { z } from "zod";
import { HOUR_MS, clockTime, dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/shift";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { KeepLink } from "../ui/KeepLink";
import { PlainButton } from "../ui/PlainButton";
import { Caption, Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Shift · Holotaxis" }];

const HOURS = [8, 12, 24] as const;
const schema = z.object({ hours: z.coerce.number().min(1).max(168).catch(8).default(8) });

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const { hours } = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const fromMs = atMs - hours * HOUR_MS;
  return { ...(await context.ask("shift", { fromMs, toMs: atMs })), fromMs, atMs, hours };
}

const count = (many: number, one: string, more = `${one}s`) => `${many} ${many === 1 ? one : more}`;

/** The shift that ends now: what is handed to the next. */
export default function Shift({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const [params] = useSearchParams();
  const changeParams = useChangeParams();
  return (
    <>
      <PageHead
        name={`Incidents › Shift from ${dayAndTime(page.fromMs, now.nowMs)} to ${clockTime(page.atMs)}`}
        sentence={`${count(page.open.length, "incident")} open, ${page.cameIn.length} came in, ${page.resolved} resolved; ${count(page.load.raised, "alarm")} in ${page.hours} h, ${page.load.standing} standing.`}
        actions={
          <>
            {HOURS.map((one) => (
              <PlainButton
                key={one}
                aria-pressed={page.hours === one}
                onClick={() => changeParams((next) => applyChanges(next, { hours: one === 8 ? "" : String(one) }))}
              >
                {one} h
              </PlainButton>
            ))}
            <PlainButton onClick={() => window.print()}>Print</PlainButton>
          </>
        }
      />
      <div style={{ display: "grid", gap: 12 }} key={params.toString()}>
        <Section title={`Open: ${page.open.length}`} pad={false}>
          {page.open.length ? (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Severity</th>
                  <th scope="col" className="num">
                    Priority
                  </th>
                  <th scope="col">Incident</th>
                  <th scope="col">Since</th>
                  <th scope="col">With</th>
                  <th scope="col">Waiting for</th>
                </tr>
              </thead>
              <tbody>
                {page.open.map((one) => (
                  <tr key={one.id}>
                    <td>
                      <SeverityLabel severity={one.severity === "cleared" ? one.worst : one.severity} />
                    </td>
                    <td className="num">{one.priority}</td>
                    <td>
                      <KeepLink to={`/incidents/${one.id}`}>{`${one.id} · ${one.title}`}</KeepLink>
                      <Caption>
                        {one.cause ? `${one.isConfirmed ? "it was" : "likeliest cause"} ${one.cause}` : ""}
                      </Caption>
                    </td>
                    <td>{dayAndTime(one.openedMs, now.nowMs)}</td>
                    <td>{one.takenBy ?? "nobody"}</td>
                    <td>{one.waitingFor || "–"}</td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          ) : (
            <div className="hx-pad">
              <Empty>Nothing is open.</Empty>
            </div>
          )}
        </Section>
        <Section title={`Came in: ${page.cameIn.length}`} pad={false}>
          <PlainTable>
            <tbody>
              {page.cameIn.map((one) => (
                <tr key={one.id}>
                  <td>{dayAndTime(one.openedMs, now.nowMs)}</td>
                  <td>
                    <KeepLink to={`/incidents/${one.id}`}>{`${one.id} · ${one.title}`}</KeepLink>
                    <Caption>
                      {one.cause ? `${one.isConfirmed ? "it was" : "likeliest cause"} ${one.cause}` : ""}
                    </Caption>
                  </td>
                  <td>{one.resolvedMs === null ? "open" : `resolved ${clockTime(one.resolvedMs)}`}</td>
                  <td>{one.takenBy ?? "nobody"}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
        <Section title={`Done by people: ${page.acts.length + page.runs.length}`} pad={false}>
          <PlainTable>
            <tbody>
              {page.acts.map((one, index) => (
                <tr key={`${one.incident} ${one.atMs} ${index}`}>
                  <td>{clockTime(one.atMs, true)}</td>
                  <td>
                    <KeepLink to={`/incidents/${one.incident}`}>{`Incident ${one.incident}`}</KeepLink>: {one.text}
                  </td>
                  <td>{one.by}</td>
                </tr>
              ))}
              {page.runs.map((one) => (
                <tr key={`run ${one.id}`}>
                  <td>{clockTime(one.atMs, true)}</td>
                  <td>
                    <KeepLink to={`/runs/${one.id}`}>{`Run ${one.id}: ${one.runbook}`}</KeepLink>, {one.state}
                  </td>
                  <td>{one.by}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
        <Section title={`Planned work in the next 12 h: ${page.planned.length}`} pad={false}>
          <PlainTable>
            <tbody>
              {page.planned.map((one) => (
                <tr key={one.ref}>
                  <td>
                    {dayAndTime(one.fromMs ?? 0, now.nowMs)} to {clockTime(one.toMs ?? 0)}
                  </td>
                  <td>
                    {one.ref}: {one.title}
                  </td>
                  <td>{one.person}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
      </div>
    </>
  );
}
