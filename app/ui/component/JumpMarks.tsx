import type { ComponentData } from "./page";

/** Ways down a long page: to each part that it has. */
export function JumpMarks({ page }: { page: ComponentData }) {
  const marks = [
    ["signals", "Signals", page.charts.length > 0],
    ["containers", "Containers", page.containers.length > 0],
    ["platform", "Platform", page.placed.length > 0],
    ["facts", "Facts", true],
    ["relations", "Relations", true],
    ["hardware", "Hardware", page.interfaces.length > 0],
    ["software", "Software", page.software.length > 0],
    ["observations", "Seen by", page.sightings.length > 0],
    ["logs", "Logs", page.sends],
    ["alarms", "Alarms", true],
    ["changes", "Changes", true],
  ] as const;
  return (
    <nav aria-label="On this page" className="hx-row" style={{ gap: 14, marginBottom: 10, flexWrap: "wrap" }}>
      {marks.map(([id, name, isThere]) =>
        isThere ? (
          <a key={id} href={`#${id}`} className="hx-link">
            {name}
          </a>
        ) : null,
      )}
    </nav>
  );
}
