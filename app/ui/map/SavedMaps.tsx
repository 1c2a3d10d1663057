import { SavedViews, type SavedViewsProps } from "../SavedViews";

const FORMATS = ["svg", "csv", "graphml", "dot"] as const;

/** Maps that people keep, and this one as a file. */
export function SavedMaps({ saved, query, refusal }: Pick<SavedViewsProps, "saved" | "query" | "refusal">) {
  return (
    <div className="hx-row" style={{ gap: 12, marginBottom: 8, flexWrap: "wrap" }}>
      <SavedViews saved={saved} to="/map" word="map" query={query} refusal={refusal} />
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
