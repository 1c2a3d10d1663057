import { useState } from "react";
import { Form } from "react-router";
import { KeepLink } from "../KeepLink";
import { useWhyNot } from "../RightButton";

/** Filters that people kept: each a link to what fits it now. */
export function Collections({
  collections,
  filter,
}: {
  collections: readonly { id: number; name: string; filter: string; madeBy: string }[];
  /** The filter that stands now, as a query; empty for none. */
  filter: string;
}) {
  const whyNot = useWhyNot("configure");
  const [name, setName] = useState("");
  const current = collections.find((one) => one.filter === filter);
  if (!collections.length && !filter) return null;
  return (
    <nav aria-label="Collections" className="hx-row" style={{ gap: 12, marginBottom: 8, flexWrap: "wrap" }}>
      <span>Collections:</span>
      {collections.map((one) => (
        <KeepLink key={one.id} to={`/estate?${one.filter}`} aria-current={one === current ? "page" : undefined}>
          {one.name}
        </KeepLink>
      ))}
      {current ? <KeepLink to={`/estate/collections/${current.id}`}>Watch {current.name} as one</KeepLink> : null}
      {current ? (
        <Form method="post" className="hx-row">
          <input type="hidden" name="id" value={current.id} />
          <button
            className="hx-button"
            type="submit"
            name="intent"
            value="forget"
            disabled={whyNot !== undefined}
            title={whyNot}
          >
            Remove {current.name}
          </button>
        </Form>
      ) : filter ? (
        <Form method="post" className="hx-row">
          <input type="hidden" name="filter" value={filter} />
          <input
            className="hx-input"
            name="collection"
            aria-label="Name of the collection"
            placeholder="Name"
            value={name}
            maxLength={60}
            onChange={(event) => setName(event.target.value)}
          />
          <button
            className="hx-button"
            type="submit"
            name="intent"
            value="keep"
            disabled={whyNot !== undefined}
            title={whyNot}
          >
            Keep this filter
          </button>
        </Form>
      ) : null}
    </nav>
  );
}
