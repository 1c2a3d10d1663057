import { memo } from "react";
import { kindInfo } from "#core/catalogue/kinds";
import type { MapCard } from "#server/pages/map";
import { KindGlyph } from "../KindGlyph";
import { SeverityMark } from "../SeverityMark";
import { roomAt, shortened } from "./names";
import { detailOf } from "./view";

interface MapCardLinkProps {
  card: MapCard;
  id: string;
  address: string;
  /** Least scale at which what is drawn can be read. */
  level: number;
  faded: boolean;
  chosen: boolean;
}

/** A component or service on the map: a link to its page, with its health and its headline figure. */
export const MapCardLink = memo(function MapCardLink({ card, id, address, level, faded, chosen }: MapCardLinkProps) {
  const detail = detailOf(level);
  const room = roomAt(level);
  const { kind, name, sub, severity, reason, figure } = card;
  const well = severity === "cleared";
  const { label } = kindInfo(kind);
  return (
    <a
      id={id}
      className={`hx-link hx-node${faded ? " hx-faded" : ""}${chosen ? " hx-node-chosen" : ""}`}
      href={address}
      draggable={false}
      title={`${label} ${name}${sub ? `, ${sub}` : ""}${figure ? `, ${figure}` : ""}${reason ? `. ${reason}` : ""}`}
      aria-label={`${label} ${name} ${sub}, ${well ? "well" : severity}${figure ? `, ${figure}` : ""}`}
      style={{ left: card.x, top: card.y, ...(well ? {} : { border: `2px solid var(--hx-${severity})` }) }}
    >
      {detail === "full" ? (
        <>
          <span className="hx-row">
            <KindGlyph kind={kind} />
            <b className="hx-clip">{name}</b>
            <SeverityMark severity={severity} size={16} />
          </span>
          <span className="hx-clip hx-quiet">{sub}</span>
          <span className={well ? "hx-clip" : "hx-clip hx-strong"}>{figure}</span>
        </>
      ) : (
        <>
          {well ? null : <SeverityMark severity={severity} size={detail === "mark" ? 40 : 24} />}
          {detail === "mark" ? null : shortened(name, level)}
          {detail === "name" && name.length <= room.across && room.lines > 1 ? (
            <span className="hx-clip hx-quiet">{figure}</span>
          ) : null}
        </>
      )}
    </a>
  );
});
