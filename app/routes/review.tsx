import { useState } from "react";
import { useFetcher } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/review";
import { act, formOf, type Refusal } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { BulkLabels } from "../ui/estate/BulkLabels";
import { KeepLink } from "../ui/KeepLink";
import { KindGlyph } from "../ui/KindGlyph";
import { Empty, PageHead } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { useWhyNot } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Review · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("review", {});

export async function action({ request, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request)) as Record<string, string>;
  const page = fields.all ? await context.ask("review", {}) : undefined;
  const ids = page ? page.hosts.map((one) => one.id) : (fields.ids ?? "").split(",").map(Number).filter(Boolean);
  if (intent === "reviewed") {
    const done = await act(context, "review.done", { ids });
    return done.ok ? { labelled: done.value } : done.refusal;
  }
  const set = await act(context, "label.set", {
    ids,
    name: fields.name ?? "",
    value: fields.value ?? "",
    on: intent === "put",
  });
  return set.ok ? { labelled: set.value } : set.refusal;
}

/** Certainty of a kind from which on it is not worth a second look. */
const SURE = 0.8;

export default function Review({ loaderData: { hosts, total } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const [ticked, setTicked] = useState<readonly number[]>([]);
  const chosen = ticked.filter((id) => hosts.some((one) => one.id === id));
  return (
    <>
      <PageHead
        name="Discover › Review"
        sentence={
          total === 0
            ? "Everything that was found has been looked at."
            : `${total.toLocaleString("en-GB")} ${total === 1 ? "host was" : "hosts were"} found that nobody has looked at, the least certain first.`
        }
      />
      {chosen.length ? (
        <>
          <Reviewed chosen={chosen} />
          <BulkLabels chosen={chosen} total={hosts.length} onDone={() => setTicked([])} />
        </>
      ) : null}
      <div className="hx-section">
        {hosts.length === 0 ? (
          <div className="hx-pad">
            <Empty>What sweeps, agents and lists find anew is listed here, to be ticked off.</Empty>
          </div>
        ) : (
          <PlainTable aria-label="Hosts to look at">
            <thead>
              <tr>
                <th scope="col" style={{ width: 34 }}>
                  <input
                    type="checkbox"
                    aria-label="All hosts here"
                    checked={chosen.length === hosts.length}
                    onChange={(event) => setTicked(event.target.checked ? hosts.map((one) => one.id) : [])}
                  />
                </th>
                <th scope="col">Host</th>
                <th scope="col">Kind, and why</th>
                <th scope="col">Address</th>
                <th scope="col">Site</th>
                <th scope="col" className="num">
                  Parts
                </th>
                <th scope="col">Labels</th>
                <th scope="col">Found</th>
              </tr>
            </thead>
            <tbody>
              {hosts.map((one) => (
                <Found
                  key={one.id}
                  one={one}
                  ticked={chosen.includes(one.id)}
                  onTick={(on) => setTicked(on ? [...chosen, one.id] : chosen.filter((id) => id !== one.id))}
                  nowMs={now.nowMs}
                />
              ))}
            </tbody>
          </PlainTable>
        )}
      </div>
    </>
  );
}

/** Ticks off what was looked at. */
function Reviewed({ chosen }: { chosen: readonly number[] }) {
  const fetcher = useFetcher<Refusal | { labelled: number }>();
  const whyNot = useWhyNot("configure");
  const answer = fetcher.data;
  return (
    <fetcher.Form method="post" className="hx-row" style={{ gap: 8, marginBottom: 8 }}>
      <input type="hidden" name="ids" value={chosen.join(",")} />
      <button
        className="hx-button"
        type="submit"
        name="intent"
        value="reviewed"
        disabled={whyNot !== undefined}
        title={whyNot}
      >
        {chosen.length === 1 ? "It is as it should be" : `These ${chosen.length} are as they should be`}
      </button>
      <span role="status">{answer && "problem" in answer ? answer.problem : ""}</span>
    </fetcher.Form>
  );
}

/** A host that was found and nobody has looked at. */
function Found({
  one,
  ticked,
  onTick,
  nowMs,
}: {
  one: Route.ComponentProps["loaderData"]["hosts"][number];
  ticked: boolean;
  onTick: (on: boolean) => void;
  nowMs: number;
}) {
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={one.name}
          checked={ticked}
          onChange={(event) => onTick(event.target.checked)}
        />
      </td>
      <td className="line">
        <span className="hx-row">
          <KindGlyph kind={one.kind} />
          <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
        </span>
      </td>
      <td>
        {one.confidence < SURE ? <strong>perhaps </strong> : null}
        {kindInfo(one.kind).label}: {one.reason}
      </td>
      <td>{one.address ?? "–"}</td>
      <td className="line">{one.site}</td>
      <td className="num">{one.parts}</td>
      <td>{one.labels ?? "–"}</td>
      <td className="line">
        {dayAndTime(one.foundAt, nowMs)}
        {one.source ? ` by ${one.source}` : ""}
      </td>
    </tr>
  );
}
