import { useState } from "react";
import { useFetcher } from "react-router";
import type { Refusal } from "../../shell/answers.server";
import { useWhyNot } from "../RightButton";

const NAMES = ["owner", "environment", "tier", "tag", "note"] as const;

/** Labels put on, or taken off, everything that is ticked, or that fits the filter. */
export function BulkLabels({
  chosen,
  total,
  onDone,
}: {
  chosen: readonly number[];
  total: number;
  onDone: () => void;
}) {
  const fetcher = useFetcher<Refusal | { labelled: number }>();
  const [name, setName] = useState<string>("owner");
  const whyNot = useWhyNot("configure");
  const answer = fetcher.data;
  const problem = answer && "problem" in answer ? answer.problem : undefined;
  return (
    <fetcher.Form method="post" className="hx-row" style={{ gap: 8, marginBottom: 8, flexWrap: "wrap" }}>
      <input type="hidden" name="ids" value={chosen.join(",")} />
      <span>{chosen.length === 1 ? "1 ticked" : `${chosen.length} ticked`}:</span>
      <span>
        Label{" "}
        <select
          className="hx-select"
          name="name"
          aria-label="Sort of label"
          value={name}
          onChange={(event) => setName(event.target.value)}
        >
          {NAMES.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </span>
      <input className="hx-input" name="value" aria-label="Value of the label" placeholder="Value" maxLength={400} />
      <label className="hx-row">
        <input type="checkbox" name="all" value="1" /> all {total.toLocaleString("en-GB")} that fit
      </label>
      <button
        className="hx-button"
        type="submit"
        name="intent"
        value="put"
        disabled={whyNot !== undefined}
        title={whyNot}
      >
        Put on
      </button>
      <button
        className="hx-button"
        type="submit"
        name="intent"
        value="take"
        disabled={whyNot !== undefined}
        title={whyNot}
      >
        Take off
      </button>
      <button className="hx-button" type="button" onClick={onDone}>
        Untick
      </button>
      <span role="status">
        {problem ?? (answer && "labelled" in answer ? `Done for ${answer.labelled.toLocaleString("en-GB")}.` : "")}
      </span>
    </fetcher.Form>
  );
}
