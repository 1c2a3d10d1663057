import { useState } from "react";
import { Form } from "react-router";
import { KeepLink } from "../KeepLink";

interface SavedMapsProps {
  saved: readonly { id: number; name: string; query: string; madeBy: string; shared: boolean }[];
  /** Query of the address that stands now. */
  query: string;
  refusal: { problem: string } | undefined;
}

const FORMATS = ["svg", "csv", "graphml", "dot"] as const;

/** Maps that people keep, and this one as a file. */
export function SavedMaps({ saved, query, refusal }: SavedMapsProps) {
  const [isNaming, setNaming] = useState(false);
  return (
    <div className="hx-row" style={{ gap: 12, marginBottom: 8, flexWrap: "wrap" }}>
      {saved.length ? <span className="hx-quiet">Saved maps</span> : null}
      {saved.map((one) => (
        <span key={one.id} className="hx-row" style={{ gap: 2 }}>
          <KeepLink to={`/map${one.query ? `?${one.query}` : ""}`}>{one.name}</KeepLink>
          <Form method="post" className="hx-row">
            <input type="hidden" name="id" value={one.id} />
            <button
              className="hx-button"
              name="intent"
              value="remove"
              aria-label={`Remove map ${one.name}`}
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
            aria-label="Name of the map"
            placeholder="Name"
            maxLength={60}
            required
          />
          <label className="hx-row" style={{ gap: 4 }}>
            <input type="checkbox" name="shared" /> for everybody
          </label>
          <button className="hx-button" name="intent" value="save">
            Save
          </button>
          <button className="hx-button" type="button" onClick={() => setNaming(false)}>
            Cancel
          </button>
        </Form>
      ) : (
        <button className="hx-button" type="button" onClick={() => setNaming(true)}>
          Save this map
        </button>
      )}
      {refusal ? <span role="alert">{refusal.problem}</span> : null}
      <span className="hx-row" style={{ gap: 8, marginLeft: "auto" }}>
        <span className="hx-quiet">Download</span>
        {FORMATS.map((format) => (
          <a
            key={format}
            className="hx-link"
            href={`/map.${format}${query ? `?${query}` : ""}`}
            download={`map.${format}`}
          >
            {format === "graphml" ? "GraphML" : format.toUpperCase()}
          </a>
        ))}
        <button className="hx-button" type="button" onClick={() => void downloadPng(query)}>
          PNG
        </button>
      </span>
    </div>
  );
}

/** Longest side of the picture, in pixels: more than a browser's canvas holds stays empty. */
const MOST_PIXELS = 8000;

/** The map as the server draws it, made into a picture here. */
async function downloadPng(query: string): Promise<void> {
  const answer = await fetch(`/map.svg${query ? `?${query}` : ""}`);
  const address = URL.createObjectURL(new Blob([await answer.text()], { type: "image/svg+xml" }));
  const image = new Image();
  image.src = address;
  await image.decode();
  const scale = Math.min(2, MOST_PIXELS / Math.max(image.width, image.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(image.width * scale);
  canvas.height = Math.round(image.height * scale);
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  URL.revokeObjectURL(address);
  canvas.toBlob((blob) => {
    if (!blob) return;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(blob);
    link.download = "map.png";
    link.click();
    URL.revokeObjectURL(link.href);
  });
}
