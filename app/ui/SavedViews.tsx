import { useState } from "react";
import { Form } from "react-router";
import { KeepLink } from "./KeepLink";

export interface SavedViewsProps {
  saved: readonly { id: number; name: string; query: string }[];
  /** The page that they are views of: "/map". */
  to: string;
  /** What one is called: "map". */
  word: string;
  /** Query of the address that stands now. */
  query: string;
  refusal: { problem: string } | undefined;
}

/** Views of a page that people keep, and this one to be kept; the page's action takes `save-view` and `remove-view`. */
export function SavedViews({ saved, to, word, query, refusal }: SavedViewsProps) {
  const [isNaming, setNaming] = useState(false);
  return (
    <>
      {saved.length ? <span className="hx-quiet">Saved {word}s</span> : null}
      {saved.map((one) => (
        <span key={one.id} className="hx-row" style={{ gap: 2 }}>
          <KeepLink to={`${to}${one.query ? `?${one.query}` : ""}`}>{one.name}</KeepLink>
          <Form method="post" className="hx-row">
            <input type="hidden" name="id" value={one.id} />
            <button
              className="hx-button"
              name="intent"
              value="remove-view"
              aria-label={`Remove ${word} ${one.name}`}
              title="Remove"
            >
              ×
            </button>
          </Form>
        </span>
      ))}
      {isNaming ? (
        <Form method="post" className="hx-row" style={{ gap: 6 }} onSubmit={() => setNaming(false)}>
          <input type="hidden" name="query" value={query} />
          <input
            className="hx-input"
            name="name"
            aria-label={`Name of the ${word}`}
            placeholder="Name"
            maxLength={60}
            required
          />
          <label className="hx-row" style={{ gap: 4 }}>
            <input type="checkbox" name="shared" /> for everybody
          </label>
          <button className="hx-button" name="intent" value="save-view">
            Save
          </button>
          <button className="hx-button" type="button" onClick={() => setNaming(false)}>
            Cancel
          </button>
        </Form>
      ) : (
        <button className="hx-button" type="button" onClick={() => setNaming(true)}>
          Save this {word}
        </button>
      )}
      {refusal ? <span role="alert">{refusal.problem}</span> : null}
    </>
  );
}
