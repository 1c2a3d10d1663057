import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import type { Route } from "./+types/estate";
import { useAnswer } from "../shell/answer";
import { act, formOf } from "../shell/answers.server";
import { askedOf, filterOf, questionOf, type Asked } from "../shell/estate-filter";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useKeep } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { Choice } from "../ui/Choice";
import { BulkLabels } from "../ui/estate/BulkLabels";
import { Collections } from "../ui/estate/Collections";
import { Components } from "../ui/estate/Components";
import { Groups } from "../ui/estate/Groups";
import { Shown } from "../ui/estate/Shown";
import { Effects } from "../ui/estate/Effects";
import { PageHead, Problem } from "../ui/Page";
import { PlainButton } from "../ui/PlainButton";

export const meta: Route.MetaFunction = () => [{ title: "Estate · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const asked = askedOf(request);
  return { ...(await context.ask("estate", questionOf(asked, atMs))), asked };
}

/** Components that are labelled at once at most. */
const MOST_LABELLED = 20_000;

export async function action({ request, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request)) as Record<string, string>;
  if (intent === "keep") {
    const kept = await act(context, "collection.save", { name: fields.collection ?? "", filter: fields.filter ?? "" });
    return kept.ok ? null : kept.refusal;
  }
  if (intent === "forget") {
    const removed = await act(context, "collection.remove", { id: Number(fields.id) });
    return removed.ok ? null : removed.refusal;
  }
  if (intent === "effect") {
    const done = await act(context, "collection.effect", {
      id: Number(fields.id),
      on: fields.on === "yes",
      effect:
        fields.effect === "unwatched"
          ? { what: "unwatched" }
          : { what: "label", name: fields.name ?? "", value: fields.value ?? "" },
    });
    return done.ok ? null : done.refusal;
  }
  const { atMs } = windowOf(request, context.now());
  const ids = fields.all
    ? (
        await context.ask("estate", { ...questionOf(askedOf(request), atMs), page: 0, pageSize: MOST_LABELLED })
      ).rows.map((row) => row.id)
    : (fields.ids ?? "").split(",").map(Number).filter(Boolean);
  const set = await act(context, "label.set", {
    ids,
    name: fields.name ?? "",
    value: fields.value ?? "",
    on: intent === "put",
  });
  return set.ok ? { labelled: set.value } : set.refusal;
}

export default function Estate({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { rows, total, kinds, sites, asked } = page;
  const [chosen, setChosen] = useState<readonly number[]>([]);
  const filter = filterOf(asked);
  const current = page.collections.find((one) => one.filter === filter);
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>) =>
    changeParams((params) => {
      if (!("page" in changes)) params.delete("page");
      applyChanges(params, changes);
    }, true);
  const all = kinds.reduce((sum, one) => sum + one.count, 0);
  const filtered = Boolean(asked.q || asked.kind || asked.site || asked.label || asked.fact || asked.health);
  return (
    <>
      <PageHead
        name="Estate"
        sentence={
          all === 0
            ? "Nothing is known yet at this instant. Add a source under Discover and sweep it."
            : filtered
              ? `${total.toLocaleString("en-GB")} of ${all.toLocaleString("en-GB")} components fit.`
              : `${all.toLocaleString("en-GB")} components of ${kinds.length} kinds at ${sites.length} ${sites.length === 1 ? "site" : "sites"}.`
        }
        actions={<Ways filter={filter} canPlan={filtered && !asked.fact && !asked.health} />}
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Collections collections={page.collections} filter={filter} />
      {current ? <Effects key={current.id} collection={current} /> : null}
      <Filters page={page} filtered={filtered} onChange={change} />
      {chosen.length ? <BulkLabels chosen={chosen} total={total} onDone={() => setChosen([])} /> : null}
      {page.groups ? (
        <Groups groups={page.groups} asked={asked} />
      ) : (
        <>
          <Components
            rows={rows}
            asked={asked}
            chosen={chosen}
            onChoose={setChosen}
            onSort={(field) =>
              change({ sort: field, order: asked.sort === field && asked.order === "asc" ? "desc" : "asc" })
            }
            empty={filtered ? "No component fits this filter. Clear it to see all." : "No components yet."}
          />
          <Pager total={total} asked={asked} onChange={change} />
        </>
      )}
    </>
  );
}

/** What else is known of the estate, and the list as a file. */
function Ways({ filter, canPlan }: { filter: string; canPlan: boolean }) {
  const keep = useKeep();
  return (
    <>
      <Button component="a" href={`/estate.csv?${filter}`} download variant="outlined">
        CSV
      </Button>
      <Button component="a" href={`/estate.json?${filter}`} download variant="outlined">
        JSON
      </Button>
      <Button component={RouterLink} to={keep("/estate/platforms")} variant="outlined">
        Platforms
      </Button>
      <Button component={RouterLink} to={keep("/estate/capacity")} variant="outlined">
        Capacity
      </Button>
      <Button component={RouterLink} to={keep("/estate/spend")} variant="outlined">
        Spend
      </Button>
      <Button component={RouterLink} to={keep("/estate/changes")} variant="outlined">
        Changes
      </Button>
      <Button component={RouterLink} to={keep("/estate/differences")} variant="outlined">
        Differences
      </Button>
      {canPlan ? (
        <Button component={RouterLink} to={keep(`/incidents/planned-work/new?${filter}`)} variant="outlined">
          Plan work
        </Button>
      ) : null}
      <Button component={RouterLink} to={keep("/estate/software")} variant="outlined">
        Software
      </Button>
      <Button component={RouterLink} to={keep("/estate/certificates")} variant="outlined">
        Certificates
      </Button>
      <Button component={RouterLink} to={keep("/estate/jobs")} variant="outlined">
        Jobs
      </Button>
    </>
  );
}

function Pager({
  total,
  asked,
  onChange,
}: {
  total: number;
  asked: Asked;
  onChange: (changes: Record<string, string>) => void;
}) {
  const from = asked.page * asked.size;
  const last = Math.max(0, Math.ceil(total / asked.size) - 1);
  const go = (page: number) => onChange({ page: String(page) });
  return (
    <nav aria-label="Pages of components" className="hx-row hx-pager">
      <span>
        {total === 0 ? "0" : `${from + 1} to ${Math.min(total, from + asked.size)}`} of {total.toLocaleString("en-GB")}
      </span>
      <PlainButton disabled={asked.page === 0} onClick={() => go(asked.page - 1)}>
        Previous page
      </PlainButton>
      <PlainButton disabled={asked.page >= last} onClick={() => go(asked.page + 1)}>
        Next page
      </PlainButton>
      <label className="hx-row">
        Rows
        <select className="hx-select" value={asked.size} onChange={(event) => onChange({ size: event.target.value })}>
          {[25, 50, 100].map((size) => (
            <option key={size}>{size}</option>
          ))}
        </select>
      </label>
    </nav>
  );
}

/** What narrows the list: letters of names and addresses, kind, site, health. */
function Filters({
  page,
  filtered,
  onChange: change,
}: {
  page: Route.ComponentProps["loaderData"];
  filtered: boolean;
  onChange: (changes: Record<string, string>) => void;
}) {
  const { kinds, sites, labels, asked } = page;
  const keep = useKeep();
  const [typed, setTyped] = useTyped(asked.q, (q) => change({ q }));
  return (
    <Stack direction="row" sx={{ gap: 1, mb: 1, flexWrap: "wrap" }}>
      <TextField
        label="Name or address"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        type="search"
        sx={{ width: 190 }}
      />
      <Choice label="Kind" width={180} value={asked.kind} onChange={(kind) => change({ kind })}>
        <MenuItem value="">every kind</MenuItem>
        {kinds.map((one) => (
          <MenuItem key={one.kind} value={one.kind}>
            {kindInfo(one.kind).label} ({one.count})
          </MenuItem>
        ))}
      </Choice>
      <Choice label="Site" width={150} value={asked.site} onChange={(site) => change({ site })}>
        <MenuItem value="">every site</MenuItem>
        {sites.map((one) => (
          <MenuItem key={one.site} value={one.site}>
            {one.site} ({one.count})
          </MenuItem>
        ))}
      </Choice>
      {labels.length || asked.label ? (
        <Choice label="Label" width={190} value={asked.label} onChange={(label) => change({ label })}>
          <MenuItem value="">any</MenuItem>
          {labels.map((one) => (
            <MenuItem key={`${one.name}:${one.value}`} value={`${one.name}:${one.value}`}>
              {one.name}: {one.value} ({one.count})
            </MenuItem>
          ))}
          {asked.label && !labels.some((one) => `${one.name}:${one.value}` === asked.label) ? (
            <MenuItem value={asked.label}>{asked.label.replace(":", ": ")}</MenuItem>
          ) : null}
        </Choice>
      ) : null}
      <Choice label="Health" width={120} value={asked.health} onChange={(health) => change({ health })}>
        <MenuItem value="">any</MenuItem>
        <MenuItem value="unwell">unwell</MenuItem>
        <MenuItem value="well">well</MenuItem>
      </Choice>
      <Shown asked={asked} factNames={page.factNames} onChange={change} />
      {filtered ? (
        <Button component={RouterLink} to={keep("/estate")} onClick={() => setTyped("")} color="inherit">
          Clear
        </Button>
      ) : null}
    </Stack>
  );
}
