import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form, useFetcher, useSearchParams, useSubmit } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/setup.audit";
import { auditAsked } from "../shell/audit.server";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Audit log · Holotaxis" }];

const SHOWN = 100;

export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = auditAsked(request, context.now());
  const page = Math.max(0, Math.min(10_000, Number(new URL(request.url).searchParams.get("page")) || 0));
  return { ...(await context.ask("audit", { ...asked, page, pageSize: SHOWN })), page, asked };
}

/** Goes through the whole chain. */
export const action = async ({ context }: Route.ActionArgs) => context.ask("auditCheck", {});

export default function Audit({ loaderData: { rows, total, refused, areas, page, asked } }: Route.ComponentProps) {
  const keep = useKeep();
  const [params] = useSearchParams();
  const filter = new URLSearchParams(
    [...params].filter(([name]) => name === "q" || name === "outcome" || name === "area"),
  );
  const at = (number: number) => `/setup/audit?${new URLSearchParams([...filter, ["page", String(number)]])}`;
  return (
    <>
      <PageHead
        name="Setup › Audit log"
        sentence={`${total.toLocaleString("en-GB")} ${total === 1 ? "action" : "actions"} on record in this window${refused ? `, ${refused.toLocaleString("en-GB")} of them refused` : ""}.`}
        actions={
          <>
            <ChainCheck />
            <Button component="a" href={keep(`/setup/audit.csv?${filter}`)} download>
              CSV
            </Button>
          </>
        }
      />
      <Filter asked={asked} areas={areas} />
      <Section title="Who did what" pad={false}>
        {rows.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>
              Nothing of this kind is on record in this window. Widen it on the ribbon to look further back.
            </Empty>
          </Box>
        ) : (
          <Entries rows={rows} />
        )}
      </Section>
      {total > SHOWN ? (
        <Stack direction="row" sx={{ gap: 1, mt: 1 }}>
          <Typography variant="body2">
            {page * SHOWN + 1} to {Math.min(total, (page + 1) * SHOWN)} of {total}
          </Typography>
          {page > 0 ? <KeepLink to={at(page - 1)}>newer</KeepLink> : null}
          {(page + 1) * SHOWN < total ? <KeepLink to={at(page + 1)}>older</KeepLink> : null}
        </Stack>
      ) : null}
    </>
  );
}

/** A button that verifies the chain, and what it found. */
function ChainCheck() {
  const fetcher = useFetcher<typeof action>();
  const found = fetcher.data;
  return (
    <fetcher.Form method="post" className="hx-row">
      <span role="status" className="hx-caption">
        {!found
          ? ""
          : found.broken
            ? `The chain is broken: ${found.broken.why}.`
            : `${found.entries.toLocaleString("en-GB")} entries, all as written; head ${found.head.slice(0, 12)}`}
      </span>
      <Button type="submit" variant="outlined" disabled={fetcher.state !== "idle"}>
        Verify
      </Button>
    </fetcher.Form>
  );
}

function Filter({ asked, areas }: { asked: Route.ComponentProps["loaderData"]["asked"]; areas: readonly string[] }) {
  const submit = useSubmit();
  const [params] = useSearchParams();
  const kept = [...params].filter(([name]) => ["from", "to", "last", "span"].includes(name));
  return (
    <Form
      className="hx-row"
      role="search"
      style={{ marginBottom: 10 }}
      onChange={(event) => void submit(event.currentTarget, { replace: true })}
    >
      {kept.map(([name, value]) => (
        <input key={name} type="hidden" name={name} value={value} />
      ))}
      <input
        type="search"
        name="q"
        className="hx-input"
        aria-label="Person, action or address"
        placeholder="Person, action or address"
        defaultValue={asked.search}
      />
      <select className="hx-select" name="area" aria-label="Area" defaultValue={asked.area}>
        <option value="">All areas</option>
        {areas.map((area) => (
          <option key={area} value={area}>
            {area.replaceAll("-", " ")}
          </option>
        ))}
      </select>
      <select className="hx-select" name="outcome" aria-label="Outcome" defaultValue={asked.outcome}>
        <option value="">Done and refused</option>
        <option value="done">Done</option>
        <option value="refused">Refused</option>
      </select>
    </Form>
  );
}

function Entries({ rows }: { rows: Answer<"audit">["rows"] }) {
  const { window: now } = useShell();
  return (
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
            <td>
              {row.summary}
              {row.before !== null || row.after !== null ? (
                <details>
                  <summary className="hx-caption">Before and after</summary>
                  <StateDifference before={row.before} after={row.after} />
                </details>
              ) : null}
            </td>
            <td>{row.outcome === "done" ? "done" : `refused: ${row.reason}`}</td>
            <td className="line">
              {row.via}
              {row.address ? `, ${row.address}` : ""}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

/** Only what differs, field by field. */
function StateDifference({ before, after }: { before: string | null; after: string | null }) {
  const old = fieldsOf(before);
  const young = fieldsOf(after);
  const names = [...new Set([...old.keys(), ...young.keys()])].filter((name) => old.get(name) !== young.get(name));
  if (!names.length) return <p className="hx-caption">Nothing differs.</p>;
  return (
    <dl className="hx-difference">
      {names.map((name) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd>
            <del>{old.get(name) ?? "nothing"}</del> → <ins>{young.get(name) ?? "nothing"}</ins>
          </dd>
        </div>
      ))}
    </dl>
  );
}

/** Fields of a state by name, those of fields within them too. */
function fieldsOf(text: string | null): Map<string, string> {
  const fields = new Map<string, string>();
  const visit = (value: unknown, name: string) => {
    if (typeof value === "object" && value !== null && !Array.isArray(value))
      for (const [key, inner] of Object.entries(value)) visit(inner, name ? `${name}.${key}` : key);
    else fields.set(name, typeof value === "string" ? value : JSON.stringify(value));
  };
  if (text !== null) visit(JSON.parse(text), "");
  return fields;
}
