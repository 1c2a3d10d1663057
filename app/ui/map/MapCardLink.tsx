import { memo } from "react";
import { kindInfo } from "#core/catalogue/kinds";
import type { MapCard } from "#server/pages/map/page";
import { KindGlyph } from "../KindGlyph";
import { SeverityMark } from "../SeverityMark";
import { roomAt, shortened } from "./names";
import { detailOf } from "./view";

interface MapCardLinkProps {
  card: MapCard;
  id: string;
  address: string;
  /** Opens or closes the group it stands for. */
  toggle?: string | undefined;
  /** Least scale at which what is drawn can be read. */
  level: number;
  faded: boolean;
  chosen: boolean;
  /** What stands above it. */
  mark?: string | undefined;
  difference?: MapCard["mark"];
  /** The figure was chosen: it stands rather than where a part runs. */
  figureFirst?: boolean;
}

/** A component, service or group on the map, with its health and its headline figure. */
export const MapCardLink = memo(function MapCardLink({
  card,
  id,
  address,
  toggle,
  level,
  faded,
  chosen,
  mark,
  difference,
  figureFirst,
}: MapCardLinkProps) {
  const detail = detailOf(level);
  const room = roomAt(level);
  const { kind, name, sub, severity, reason, figure, group } = card;
  const well = severity === "cleared";
  const info = kindInfo(kind);
  const label = group ? "Group" : info.label;
  const state = group ? (group.unwell ? `${group.unwell} unwell` : "all well") : well ? "well" : severity;
  const looks = `${faded ? " hx-faded" : ""}${chosen ? " hx-node-chosen" : ""}${group ? " hx-group" : ""}${group?.isOpen ? " hx-open" : ""}${difference ? ` hx-${difference.mark}` : ""}`;
  return (
    <div
      className={`hx-node${looks}`}
      style={{ left: card.x, top: card.y, ...(well ? {} : { border: `2px solid var(--hx-${severity})` }) }}
    >
      {mark ? (
        <span className="hx-node-mark" style={{ fontSize: Math.max(12, 11 / level) }}>
          {mark}
        </span>
      ) : null}
      {difference ? (
        <span className="hx-node-differs" style={{ fontSize: Math.max(11, 11 / level) }}>
          {group ? difference.words : difference.mark}
        </span>
      ) : null}
      <a
        id={id}
        className="hx-link hx-node-link"
        href={address}
        draggable={false}
        title={`${label} ${name}${sub ? `, ${sub}` : ""}${figure ? `, ${figure}` : ""}${reason ? `. ${reason}` : ""}${difference ? `. ${difference.words}` : ""}`}
        aria-label={`${mark ? `${mark}: ` : ""}${difference ? `${group ? difference.words : difference.mark}: ` : ""}${label} ${name} ${sub}, ${state}${figure && !group ? `, ${figure}` : ""}`}
      >
        {detail === "full" ? (
          <>
            <span className="hx-row">
              {kind ? <KindGlyph kind={kind} /> : null}
              <b className="hx-clip">{name}</b>
              <SeverityMark severity={severity} size={16} />
            </span>
            <span className="hx-clip hx-quiet">{sub}</span>
            <span className={well ? "hx-clip" : "hx-clip hx-strong"}>{figure}</span>
          </>
        ) : (
          <>
            {well ? null : <SeverityMark severity={severity} size={detail === "mark" ? 40 : 24} />}
            {detail === "mark" ? null : shortened(group ? `${name} ${group.members}` : name, level)}
            {detail === "name" && name.length <= room.across && room.lines > 1 ? (
              <span className="hx-clip hx-quiet">
                {figureFirst || group || info.isHost || kind === "service" ? figure : sub}
              </span>
            ) : null}
          </>
        )}
      </a>
      {toggle ? <Toggle name={name} address={toggle} isOpen={group?.isOpen ?? false} /> : null}
    </div>
  );
});

function Toggle({ name, address, isOpen }: { name: string; address: string; isOpen: boolean }) {
  return (
    <a
      className="hx-link hx-toggle"
      href={address}
      draggable={false}
      role="button"
      aria-expanded={isOpen}
      aria-label={`${isOpen ? "Close" : "Open"} ${name}`}
      title={isOpen ? "Close (o)" : "Open (o)"}
    >
      {isOpen ? "−" : "+"}
    </a>
  );
}
