import Typography from "@mui/material/Typography";
import { CHORE_LEVELS } from "#core/repair/chore";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/chores";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Housekeeping · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  return context.ask("chores", undefined);
}

export default function Chores({ loaderData: { chores, halt } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const acting = chores.filter((one) => one.isOn && one.level === "automatic").length;
  const sentence = halt
    ? `All automatic acts are stopped by ${halt.by} since ${dayAndTime(halt.atMs, now.nowMs, true)}.`
    : acting
      ? `${acting} of ${chores.length} chores ${acting === 1 ? "is" : "are"} done without being asked.`
      : `${chores.length} chores; none is done without being asked.`;
  return (
    <>
      <PageHead
        name="Runbooks › Housekeeping"
        sentence={sentence}
        actions={<KeepLink to="/runbooks/housekeeping/new">New chore</KeepLink>}
      />
      <Section title="Chores" pad={false}>
        {chores.length === 0 ? (
          <Empty>No chores yet. A chore says which runbook is run where and when.</Empty>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Chore</th>
                <th scope="col">Runbook</th>
                <th scope="col">When</th>
                <th scope="col">Trust</th>
                <th scope="col">Next</th>
                <th scope="col">Last</th>
              </tr>
            </thead>
            <tbody>
              {chores.map((one) => (
                <tr key={one.id}>
                  <td className="top">
                    <KeepLink to={`/runbooks/housekeeping/${one.id}`}>{one.name}</KeepLink>
                    {one.fellBackWhy ? <p className="hx-caption">Trusted less: {one.fellBackWhy}</p> : null}
                  </td>
                  <td className="top">{one.runbookName}</td>
                  <td className="top">{one.when}</td>
                  <td className="line top">{one.isOn ? one.level : "off"}</td>
                  <td className="line top">{one.nextAt === null ? "–" : dayAndTime(one.nextAt, now.nowMs, true)}</td>
                  <td className="top">
                    {one.last
                      ? `${dayAndTime(one.last.at, now.nowMs, true)}: ${one.last.state}, ${one.last.words}`
                      : "–"}
                  </td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
      <Typography variant="body2" sx={{ mt: 1 }}>
        Trust grows a step at a time: {CHORE_LEVELS.map((one) => `${one.label.toLowerCase()} ${one.words}`).join("; ")}.
        It falls back by itself when more fails than may. How each chore ended is a figure of its component, with a rule
        and a chart like any other.
      </Typography>
    </>
  );
}
