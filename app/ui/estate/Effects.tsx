import { useState } from "react";
import { Form } from "react-router";
import { LABELS, type Effect } from "#core/estate/labels";
import { useWhyNot } from "../RightButton";

/** What belonging to a collection does: labels that are put on, and whether what belongs to it is watched. */
export function Effects({ collection }: { collection: { id: number; name: string; effects: readonly Effect[] } }) {
  const whyNot = useWhyNot("configure");
  const [name, setName] = useState<string>("owner");
  const labels = collection.effects.flatMap((one) => (one.what === "label" ? [one] : []));
  const off = collection.effects.some((one) => one.what === "unwatched");
  const button = (on: boolean, text: string, label?: string) => (
    <>
      <input type="hidden" name="id" value={collection.id} />
      <input type="hidden" name="on" value={on ? "yes" : "no"} />
      <button
        className="hx-button"
        type="submit"
        name="intent"
        value="effect"
        disabled={whyNot !== undefined}
        title={whyNot}
        aria-label={label}
      >
        {text}
      </button>
    </>
  );
  return (
    <section
      aria-label={`What belongs to ${collection.name}`}
      className="hx-row"
      style={{ gap: 12, marginBottom: 8, flexWrap: "wrap" }}
    >
      <span>
        What belongs to {collection.name}, now and later, is {off ? "not watched" : "watched as usual"}
        {labels.length ? " and gets" : "."}
      </span>
      {labels.map((one) => (
        <Form key={`${one.name} ${one.value}`} method="post" className="hx-row">
          <span>
            {one.name}: {one.value}
          </span>
          <input type="hidden" name="name" value={one.name} />
          <input type="hidden" name="value" value={one.value} />
          {button(false, "Remove", `Do not give ${one.name} ${one.value} any more`)}
        </Form>
      ))}
      <Form method="post" className="hx-row">
        <select
          className="hx-select"
          name="name"
          aria-label="Sort of label it gets"
          value={name}
          onChange={(event) => setName(event.target.value)}
        >
          {LABELS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <input
          className="hx-input"
          name="value"
          aria-label="Value of the label it gets"
          placeholder="Value"
          maxLength={400}
        />
        {button(true, "Give it")}
      </Form>
      <Form method="post" className="hx-row">
        <input type="hidden" name="effect" value="unwatched" />
        {button(!off, off ? "Watch it again" : "Do not watch it")}
      </Form>
    </section>
  );
}
