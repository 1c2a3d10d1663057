import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { HAND_RELATIONS } from "#core/topology/by-hand";
import { verbOf } from "#core/topology/words";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/relations-by-hand";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { ComponentPicker, type PickedComponent } from "../ui/ComponentPicker";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Relations by hand of ${loaderData?.component.name ?? "a component"} · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("relationsByHand", { id: idFrom(params.id, "component") });
  if (!page) throw missing("component", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const own = idFrom(params.id, "component");
  const { what, id, other, type, detail, way } = Object.fromEntries(await formOf(request)) as Record<string, string>;
  const to = other ? Number(other) : Number.NaN;
  const done =
    what === "add"
      ? await act(context, "relation.add", {
          ...(way === "in" ? { from: to, to: own } : { from: own, to }),
          type,
          detail: detail ?? "",
        } as never)
      : what === "remove"
        ? await act(context, "relation.remove", { id: Number(id) })
        : await act(context, "relation.hide", { id: Number(id), on: what === "hide" });
  return done.ok ? null : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

const relations = (count: number) => (count === 1 ? "one relation" : `${count} relations`);

function sentenceOf({ component, made, hidden }: Data): string {
  if (made.length + hidden.length === 0) return `No relation of ${component.name} was made or hidden by hand.`;
  const parts = [
    made.length ? `${relations(made.length)} made by hand` : "",
    hidden.length ? `${relations(hidden.length)} hidden` : "",
  ];
  return `${component.name}: ${parts.filter(Boolean).join(", ")}.`;
}

export default function RelationsByHand({ loaderData: page, actionData }: Route.ComponentProps) {
  const refusal = useAnswer(actionData ?? undefined);
  const { component, made, hidden } = page;
  return (
    <>
      <PageHead
        name={`Estate › ${component.name} › Relations by hand`}
        sentence={sentenceOf(page)}
        actions={<KeepLink to={`/estate/${component.id}`}>Back to {component.name}</KeepLink>}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        {component.isPresent ? (
          <Section title="Add what no source sees">
            <AddForm name={component.name} key={made.length} />
          </Section>
        ) : null}
        <Section title="Made by hand" pad={made.length === 0}>
          <Rows
            rows={made}
            what="remove"
            word="Remove"
            empty="None. What sources see is on the page of the component."
          />
        </Section>
        <Section title="Hidden" pad={hidden.length === 0}>
          <Rows
            rows={hidden}
            what="show"
            word="Show again"
            empty="None. A relation that means nothing is hidden on its own page: it is not drawn and not followed any more, however often it is seen."
          />
        </Section>
      </Stack>
    </>
  );
}

/** Whether it needs the other one or the other one needs it, in which way, over what. */
function AddForm({ name }: { name: string }) {
  const busy = useNavigation().state !== "idle";
  const [other, setOther] = useState<PickedComponent | null>(null);
  const [type, setType] = useState<(typeof HAND_RELATIONS)[number]>("talks-to");
  const [way, setWay] = useState("out");
  const [from, to] = way === "out" ? [name, other?.name] : [other?.name, name];
  return (
    <Form method="post">
      <input type="hidden" name="what" value="add" />
      <input type="hidden" name="other" value={other?.id ?? ""} />
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}>
        <TextField
          select
          label="Direction"
          name="way"
          value={way}
          onChange={(event) => setWay(event.target.value)}
          sx={{ width: 200 }}
        >
          <MenuItem value="out">{name} needs it</MenuItem>
          <MenuItem value="in">It needs {name}</MenuItem>
        </TextField>
        <TextField
          select
          label="Relation"
          name="type"
          value={type}
          onChange={(event) => setType(event.target.value as typeof type)}
          sx={{ width: 160 }}
        >
          {HAND_RELATIONS.map((one) => (
            <MenuItem key={one} value={one}>
              {verbOf(one)}
            </MenuItem>
          ))}
        </TextField>
        <ComponentPicker label="The other component" value={other} onPick={setOther} />
        <TextField
          label="Over (port, purpose)"
          name="detail"
          sx={{ width: 180 }}
          slotProps={{ htmlInput: { maxLength: 80 } }}
        />
        <RightButton right="configure" type="submit" variant="outlined" disabled={busy || other === null}>
          Add
        </RightButton>
      </Stack>
      <Typography variant="body2" sx={{ mt: 1, color: "text.secondary" }}>
        {other ? `${from} ${verbOf(type)} ${to}. ` : ""}It stays until it is removed here, and counts for the map, for
        what would fail with what, and for causes.
      </Typography>
    </Form>
  );
}

function Rows({ rows, what, word, empty }: { rows: Data["made"]; what: string; word: string; empty: string }) {
  const { window: now } = useShell();
  const busy = useNavigation().state !== "idle";
  if (rows.length === 0) return <Empty>{empty}</Empty>;
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Relation</th>
          <th scope="col">Over</th>
          <th scope="col">By</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((one) => (
          <tr key={one.id}>
            <td>
              <KeepLink to={`/estate/${one.from.id}`}>{one.from.name}</KeepLink>{" "}
              <KeepLink to={`/relations/${one.id}`}>{verbOf(one.type)}</KeepLink>{" "}
              <KeepLink to={`/estate/${one.to.id}`}>{one.to.name}</KeepLink>
            </td>
            <td>{one.detail || "–"}</td>
            <td>
              {one.by}, {dayAndTime(one.atMs, now.nowMs)}
            </td>
            <td>
              <Form method="post">
                <input type="hidden" name="what" value={what} />
                <input type="hidden" name="id" value={one.id} />
                <RightButton
                  right="configure"
                  type="submit"
                  size="small"
                  disabled={busy}
                  aria-label={`${word}: ${one.from.name} ${verbOf(one.type)} ${one.to.name}`}
                >
                  {word}
                </RightButton>
              </Form>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
