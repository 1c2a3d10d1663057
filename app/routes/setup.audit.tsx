import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/setup.audit";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Audit log · Holotaxis" }];

const SHOWN = 100;

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, toMs } = windowOf(request, context.now());
  const page = Math.max(0, Math.min(10_000, Number(new URL(request.url).searchParams.get("page")) || 0));
  return { ...(await context.ask("audit", { fromMs, toMs, page, pageSize: SHOWN })), page };
}

export default function Audit({ loaderData: { rows, total, page } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const refused = rows.filter((row) => row.outcome === "refused").length;
  return (
    <>
      <PageHead
        name="Setup › Audit log"
        sentence={`${total.toLocaleString("en-GB")} ${total === 1 ? "action" : "actions"} by people in this window${refused ? `, ${refused} of those shown refused` : ""}.`}
      />
      <Section title="Who did what" pad={false}>
        {rows.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>Nobody changed anything in this window. Widen it on the ribbon to look further back.</Empty>
          </Box>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Time</th>
                <th scope="col">Person</th>
                <th scope="col">Action</th>
                <th scope="col">Outcome</th>
                <th scope="col">Through</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={row.id}>
                  <td className="line">{dayAndTime(row.at, now.nowMs, true)}</td>
                  <td className="line">{row.who}</td>
                  <td>{row.summary}</td>
                  <td>{row.outcome === "done" ? "done" : `refused: ${row.reason}`}</td>
                  <td>{row.via}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
      {total > SHOWN ? (
        <Stack direction="row" sx={{ gap: 1, mt: 1 }}>
          <Typography variant="body2">
            {page * SHOWN + 1} to {Math.min(total, (page + 1) * SHOWN)} of {total}
          </Typography>
          {page > 0 ? <KeepLink to={`/setup/audit?page=${page - 1}`}>newer</KeepLink> : null}
          {(page + 1) * SHOWN < total ? <KeepLink to={`/setup/audit?page=${page + 1}`}>older</KeepLink> : null}
        </Stack>
      ) : null}
    </>
  );
}
