import { kindInfo } from "#core/catalogue/kinds";
import { KindGlyph } from "../KindGlyph";
import { PlainTable } from "../PlainTable";
import { SeverityMark } from "../SeverityMark";
import type { MapData, StrataMapProps } from "./StrataMap";

/** The same arrangement as rows: which groups are unwell, how many of them, and the worst member. */
export function GroupList({
  map,
  addressOf,
  toggleOf,
  chosen,
}: Required<Pick<StrataMapProps, "addressOf" | "toggleOf">> & { map: MapData; chosen: string | undefined }) {
  const bandOf = (y: number) => map.strata.findLast((band) => band.y <= y)?.label ?? "";
  const depthOf = (y: number) => map.trays.filter((tray) => tray.y <= y && y < tray.y + tray.height).length;
  // In reading order: an open group, then what is in it, then the next.
  const rows = [...map.cards];
  const isLayered = map.strata.some((band) => band.label);
  let before = "";
  return (
    <PlainTable pinned>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">Health</th>
          <th scope="col" className="num">
            Members
          </th>
          <th scope="col" className="num">
            Unwell
          </th>
          <th scope="col">Worst</th>
          <th scope="col">Figure</th>
          {map.marked === null ? null : <th scope="col">Differs</th>}
        </tr>
      </thead>
      <tbody>
        {rows.map((card) => {
          const band = isLayered ? bandOf(card.y) : "";
          const head = band !== before ? band : "";
          before = band;
          return [
            head ? (
              <tr key={`band ${head}`} className="hx-row-band">
                <th scope="rowgroup" colSpan={map.marked === null ? 6 : 7}>
                  {head}
                </th>
              </tr>
            ) : null,
            <Line
              key={card.id}
              card={card}
              depth={depthOf(card.y)}
              address={addressOf(card)}
              toggleOf={toggleOf}
              chosen={card.id === chosen}
              marks={map.marked !== null}
            />,
          ];
        })}
      </tbody>
    </PlainTable>
  );
}

function Line({
  card,
  depth,
  address,
  toggleOf,
  chosen,
  marks,
}: {
  card: MapData["cards"][number];
  depth: number;
  address: string;
  toggleOf: (key: string) => string;
  chosen: boolean;
  /** Whether differences are marked. */
  marks: boolean;
}) {
  const { group } = card;
  return (
    <tr aria-current={chosen ? "true" : undefined}>
      <td style={{ paddingLeft: 8 + depth * 18 }}>
        {group ? (
          <a
            className="hx-link hx-fold"
            href={toggleOf(group.key)}
            role="button"
            aria-expanded={group.isOpen}
            aria-label={`${group.isOpen ? "Close" : "Open"} ${card.name}`}
          >
            {group.isOpen ? "−" : "+"}
          </a>
        ) : (
          <span className="hx-fold" />
        )}
        {card.kind ? <KindGlyph kind={card.kind} /> : null}{" "}
        <a className="hx-link" href={address} title={group ? undefined : kindInfo(card.kind).label}>
          {card.name}
        </a>{" "}
        <span className="hx-quiet">{group ? "" : card.sub}</span>
      </td>
      <td>
        <span className="hx-row">
          <SeverityMark severity={card.severity} size={16} />
          {card.severity === "cleared" ? "well" : card.severity}
        </span>
      </td>
      <td className="num">{group ? group.members.toLocaleString("en-GB") : ""}</td>
      <td className="num">{group ? group.unwell || "" : ""}</td>
      <td>{card.reason}</td>
      <td>{group ? "" : card.figure}</td>
      {marks ? <td>{differsText(card)}</td> : null}
    </tr>
  );
}

const differsText = ({ mark, group }: MapData["cards"][number]) =>
  mark ? (group || mark.mark === "changed" ? mark.words : mark.mark) : "";
