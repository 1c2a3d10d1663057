import { dayAndTime } from "#core/time/windows";
import type { MapPanel } from "#server/pages/map/panel";
import { useKeep } from "../../shell/window";
import { KindGlyph } from "../KindGlyph";
import { SeverityMark } from "../SeverityMark";

interface PanelProps {
  panel: MapPanel;
  nowMs: number;
  /** The map with something else beside it. */
  showing: (show: string) => string;
  /** The map with nothing beside it. */
  closed: string;
  /** The map round a component. */
  around: (componentId: number) => string;
  /** The map waiting for the other end of a way. */
  wayFrom: (componentId: number) => string;
}

/** What the map knows of one thing on it, beside the map: the same for a component, a service, a group, a relation. */
export function Panel({ panel, nowMs, showing, closed, around, wayFrom }: PanelProps) {
  const keep = useKeep();
  return (
    <aside className="hx-panel" aria-label={`About ${panel.name}`}>
      <header>
        {panel.kind ? <KindGlyph kind={panel.kind} /> : null}
        <h2>{panel.name}</h2>
        <SeverityMark severity={panel.severity} size={18} />
        <a className="hx-link" href={closed} aria-label="Close the panel" title="Close">
          ×
        </a>
      </header>
      <p>{panel.sentence}</p>
      <nav aria-label="More of it">
        {panel.links.map(({ to, name }) => (
          <a key={to} className="hx-link" href={keep(to)}>
            {name}
          </a>
        ))}
        {panel.componentId === null ? null : (
          <>
            <a className="hx-link" href={around(panel.componentId)}>
              Focus on it
            </a>
            <a className="hx-link" href={wayFrom(panel.componentId)}>
              Way from here to …
            </a>
          </>
        )}
      </nav>
      {panel.figures.length ? (
        <dl>
          {panel.figures.map(({ name, text }) => (
            <div key={name}>
              <dt>{name}</dt>
              <dd>{text}</dd>
            </div>
          ))}
        </dl>
      ) : null}
      {panel.lists
        .filter(({ rows }) => rows.length > 0)
        .map(({ title, rows, more }) => (
          <section key={title} aria-label={title}>
            <h3>{title}</h3>
            <ul>
              {rows.map((row, index) => (
                <li key={index}>
                  <a className="hx-link" href={showing(row.show)}>
                    {row.severity && row.severity !== "cleared" ? (
                      <SeverityMark severity={row.severity} size={14} />
                    ) : null}{" "}
                    {row.name}
                  </a>
                  <span className="hx-quiet">{row.detail}</span>
                </li>
              ))}
            </ul>
            {more ? <p className="hx-quiet">and {more.toLocaleString("en-GB")} more</p> : null}
          </section>
        ))}
      {panel.what === "relation" ? null : (
        <section aria-label="What changed">
          <h3>What changed in this window</h3>
          {panel.changes.length === 0 ? <p className="hx-quiet">Nothing.</p> : null}
          <ul>
            {panel.changes.map((change) => (
              <li key={change.id}>
                <span>{change.summary}</span>
                <span className="hx-quiet">{dayAndTime(change.at, nowMs)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </aside>
  );
}
