import { describe, expect, it } from "vitest";
import type { DrawnLine } from "#server/pages/metrics";
import { loader } from "./signals.metrics-csv";

const AT = Date.parse("2026-03-17T10:00:00Z");
const line = (more: Partial<DrawnLine>): DrawnLine =>
  ({ label: "Memory usage · h-1", unit: "%", points: [], over: [], ...more }) as unknown as DrawnLine;

/** What the page of metrics would draw, as a file. */
async function csv(search: string, lines: DrawnLine[]) {
  const response = await loader({
    request: new Request(`http://holotaxis/signals/metrics.csv?${search}`),
    params: {},
    context: { now: () => AT, ask: () => Promise.resolve({ lines }) },
  } as unknown as Parameters<typeof loader>[0]);
  const text = await response.text();
  return {
    name: /filename="([^"]+)"/.exec(response.headers.get("Content-Disposition") ?? "")?.[1],
    rows: text.trimEnd().split("\r\n"),
  };
}

describe("the lines drawn, as CSV", () => {
  it("give the lowest, mean and highest of each span, gaps left empty", async () => {
    const { name, rows } = await csv("line=metric~memory.used", [
      line({ points: [[AT, 1, 2, 3, 1]] as unknown as DrawnLine["points"] }),
      line({ label: "h-2, the other", points: [[AT + 60_000, 4, 5, 6, 1]] as unknown as DrawnLine["points"] }),
    ]);
    expect(name).toBe("memory.used.csv");
    expect(rows).toEqual([
      'time,"Memory usage · h-1, lowest [%]","Memory usage · h-1, mean [%]","Memory usage · h-1, highest [%]","h-2, the other, lowest [%]","h-2, the other, mean [%]","h-2, the other, highest [%]"',
      "2026-03-17T10:00:00.000Z,1,2,3,,,",
      "2026-03-17T10:01:00.000Z,,,,4,5,6",
    ]);
  });
  it("carry what they are compared with, in the file's name too", async () => {
    const { name, rows } = await csv("line=metric~memory.used&over=week", [
      line({
        points: [[AT, 1, 2, 3, 1]] as unknown as DrawnLine["points"],
        over: [
          [AT, 7],
          [AT + 60_000, 8],
        ] as unknown as DrawnLine["over"],
      }),
    ]);
    expect(name).toBe("memory.used-vs-previous-week.csv");
    expect(rows[0]).toContain('"Memory usage · h-1, previous week [%]"');
    expect(rows.slice(1)).toEqual(["2026-03-17T10:00:00.000Z,1,2,3,7", "2026-03-17T10:01:00.000Z,,,,8"]);
  });
  it("are named by the first metric and how many more", async () => {
    expect((await csv("line=metric~net.in&line=metric~net.out&line=metric~net.in", [])).name).toBe(
      "net.in-and-1-more.csv",
    );
  });
});
