import Papa from "papaparse";
import { describe, expect, it } from "vitest";
import { entriesInWords, parseServices, SERVICE_COLUMNS } from "./service-list";

const servicesOf = (text: string) => {
  const result = parseServices(text);
  if (!result.ok) throw new Error(result.problem);
  return result.services;
};

describe("lists of services", () => {
  it("are read from CSV and JSON alike", () => {
    const csv = servicesOf(
      "name,owner,entries,failures only,server limit ms\nGate,Landside,gatefront on nq-*; slots on sq-1,yes,400\n",
    );
    const json = servicesOf(
      JSON.stringify([
        {
          Name: "Gate",
          owner: "Landside",
          entries: ["gatefront on nq-*", { process: "slots", host: "sq-1" }],
          "failures only": true,
          "server limit ms": 400,
        },
      ]),
    );
    expect(csv).toMatchObject([
      {
        name: "Gate",
        owner: "Landside",
        entries: [
          { process: "gatefront", host: "nq-*" },
          { process: "slots", host: "sq-1" },
        ],
        failuresOnly: true,
        serverLimitMs: "400",
      },
    ]);
    expect({ ...json[0], at: "" }).toEqual({ ...csv[0], at: "" });
  });

  it("may limit what is asked at an entry point for the service", () => {
    const [csv] = servicesOf("name,entries\nGate,front on h-* for GET /slots | POST /slots/{id} ; desk on d\n");
    expect(csv?.entries).toEqual([
      { process: "front", host: "h-*", operations: ["GET /slots", "POST /slots/{id}"] },
      { process: "desk", host: "d" },
    ]);
    expect(entriesInWords(csv?.entries ?? [])).toBe("front on h-* for GET /slots | POST /slots/{id}; desk on d");
    const entries = [{ process: "front", host: "h-*", operations: ["GET /slots", " "] }, { process: "desk", host: "d", operations: [] }]; // prettier-ignore
    expect(servicesOf(JSON.stringify([{ name: "Gate", entries }]))[0]?.entries).toEqual([
      { process: "front", host: "h-*", operations: ["GET /slots"] },
      { process: "desk", host: "d" },
    ]);
  });

  it("say the same when they were given out and are read again", () => {
    const [one] = servicesOf('name,entries,notes\n"Gate, north","a b on h-*; c on d","first; ""second"""\n');
    const row = { ...one, entries: entriesInWords(one?.entries ?? []) } as Record<string, unknown>;
    const text = Papa.unparse([
      SERVICE_COLUMNS.map((column) => column),
      [row.name, "", "", row.entries, "", "", "", "99.5", "", row.notes],
    ]);
    expect(servicesOf(text)[0]).toEqual({ ...one, objectivePercent: "99.5" });
  });

  it.each([
    ["name,entries\n", "The list has no services."],
    ["title\nx\n", "The first line has to name the columns"],
    ["name,entries\nGate,gatefront\n", "Line 2: “gatefront” is no entry point: write “process on host”."],
    ["name,entries\nGate,\n", "Line 2: there is no entry point"],
    ["name,entries,colour\nGate,a on b,red\n", "Line 2: there is no column “colour”"],
    ["name,entries\nGate,a on b\ngate,a on b\n", "Line 3: “gate” stands above already."],
    ["[1]", "Entry 1 is no object with a name."],
    ["{", "This is no JSON"],
  ])("that are wrong are refused: %j", (text, problem) => {
    const result = parseServices(text);
    expect(result.ok ? "" : result.problem).toContain(problem);
  });
});
