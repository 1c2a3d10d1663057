import type { ReactElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it } from "vitest";
import { InSight } from "./charts/InSight";
import { KindGlyph } from "./KindGlyph";
import type { MapLink } from "#server/pages/map/page";
import { MapLines } from "./map/MapLines";
import { MapCardLink } from "./map/MapCardLink";
import { Rows } from "./Rows";
import { SeverityLabel } from "./SeverityMark";
import { OperationTable, type OperationRow } from "./traces/OperationTable";

const drawn = (element: ReactElement, at = "/") =>
  renderToStaticMarkup(<MemoryRouter initialEntries={[at]}>{element}</MemoryRouter>);
const count = (text: string, what: RegExp) => text.match(new RegExp(what, "g"))?.length ?? 0;

describe("long tables", () => {
  const rows = (length: number) =>
    drawn(
      <table>
        <tbody>
          <Rows rows={Array.from({ length }, (_, index) => index)} columns={1}>
            {(row) => (
              <tr key={row}>
                <td>row {row}</td>
              </tr>
            )}
          </Rows>
        </tbody>
      </table>,
    );
  it("come with the rows in sight, and the room of the others", () => {
    const long = rows(80);
    expect(count(long, /row \d+/)).toBe(25);
    expect(long).toContain('aria-hidden="true" style="height:1595px"');
  });
  it("are whole where they are short", () => {
    expect(count(rows(25), /row \d+/)).toBe(25);
    expect(rows(25)).not.toContain("aria-hidden");
    expect(count(rows(0), /<tr/)).toBe(0);
  });
});

describe("the table of operations", () => {
  const operation = (changes: Partial<OperationRow> = {}): OperationRow => ({
    id: 1,
    name: "GET /",
    sender: "desk",
    componentId: 4,
    calls: 1000,
    failed: 0,
    p50: 1,
    p95: 2,
    p99: 3,
    ...changes,
  });
  const table = (rows: OperationRow[], at = "/") =>
    drawn(<OperationTable rows={rows}>{(row) => row.name}</OperationTable>, at);

  it("has a column of kinds only where they are known", () => {
    expect(table([operation()])).not.toContain("Kind");
    expect(table([operation({ kind: "answered" })])).toContain("answered");
  });
  it("makes many failures stand out, and few not", () => {
    expect(table([operation({ failed: 51 })])).toContain("5.1 %");
    expect(table([operation({ failed: 51 })])).toContain("--hx-major");
    expect(table([operation({ failed: 50 })])).not.toContain("--hx-major");
    expect(table([operation()])).toContain("none");
  });
  it("takes the window along to its components, and names those that are none", () => {
    expect(table([operation()], "/services/gate?last=PT3H")).toContain('href="/estate/4?last=PT3H"');
    const stranger = table([operation({ componentId: null, sender: "mill @ h-9" })]);
    expect(stranger).toContain("mill @ h-9");
    expect(stranger).not.toContain("href");
  });
});

describe("marks", () => {
  it("of what is well are one element, of what is not a picture with its word", () => {
    expect(drawn(<SeverityLabel severity="cleared" />)).toBe('<span class="hx-severity hx-well">well</span>');
    const critical = drawn(<SeverityLabel severity="critical" />);
    expect(critical).toContain("<svg");
    expect(critical).toContain(">critical</span>");
  });
  it("of kinds are hidden from those who hear the page: the word stands beside them", () => {
    expect(drawn(<KindGlyph kind="app.database" />)).toMatch(/class="hx-glyph hx-glyph-\w+" aria-hidden/);
  });
});

it("a drawing that the server leaves out keeps its room and says what it shows", () => {
  const box = drawn(
    <InSight height={132} label="CPU of h-1: last 4 %">
      the canvas
    </InSight>,
  );
  expect(box).toContain('role="img" aria-label="CPU of h-1: last 4 %"');
  expect(box).toContain("height:132px");
  expect(box).not.toContain("the canvas");
});

describe("cards and lines of the map", () => {
  const card = {
    id: "c3",
    componentId: 3,
    serviceUid: null,
    group: null,
    name: "nq-store-01",
    sub: "127.0.0.1",
    kind: "host.linux",
    severity: "major" as const,
    reason: "disk is full",
    figure: "memory 40.0 %",
    x: 10,
    y: 20,
  };
  const cardAt = (level: number) =>
    drawn(<MapCardLink card={card} id="card-0" address="/estate/3" level={level} faded={false} chosen={false} />);
  it("say everything at full size, the name when small, and how they are when tiny", () => {
    expect(cardAt(0.92)).toMatch(/nq-store-01<\/b>.*127\.0\.0\.1.*memory 40\.0 %/);
    expect(cardAt(0.5)).toContain(">nq-store-01");
    expect(cardAt(0.15)).not.toContain(">nq-store-01");
    for (const level of [0.92, 0.5, 0.15]) {
      expect(cardAt(level)).toContain('aria-label="Linux host nq-store-01 127.0.0.1, major, memory 40.0 %"');
      expect(cardAt(level)).toContain("disk is full");
      expect(cardAt(level)).toContain("<svg");
    }
  });
  it("light up where the pointer is, above all others", () => {
    const map = {
      cards: [card, { ...card, x: 300 }, { ...card, y: 300, severity: "cleared" as const }],
      links: [{ type: "talks-to", ends: [[0, 1, 3, 0, 0, 1, 0] as MapLink, [1, 2, 1, 0, 0, 1, 0] as MapLink] }],
      width: 600,
      height: 400,
    } as unknown as Parameters<typeof MapLines>[0]["map"];
    const lines = (hovered: number | null) => drawn(<MapLines map={map} hovered={hovered} dashed level={1} />);
    expect(lines(null)).not.toContain("hx-lit");
    expect(lines(0)).toMatch(/class="hx-dim".*class="hx-lit"/);
    expect(count(lines(2), /<path/) - count(lines(null), /<path/)).toBe(2);
  });
});
