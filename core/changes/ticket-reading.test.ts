import { describe, expect, it } from "vitest";
import { parseReading, readTickets } from "./ticket-reading";

const readingOf = (text: string) => {
  const read = parseReading(text);
  if (!read.ok) throw new Error(read.problem);
  return read.reading;
};
const problemOf = (text: string) => {
  const read = parseReading(text);
  return read.ok ? undefined : read.problem;
};
const HOUSE = `
# A system of another house
items = result.rows
next = result.more ? "/list?after=" & result.last : null
ref = number
title = short.text
state = $lowercase(state)
person = assignee.name
from = planned.begin
to = planned.end
things = items.name
`;
const answer = (rows: unknown[], more = false) => JSON.stringify({ result: { rows, more, last: 7 } });
const ROW = {
  number: 4711,
  short: { text: "New pumps" },
  state: "PLANNED",
  assignee: { name: "Ilse" },
  planned: { begin: "2026-03-17 08:00:00", end: "2026-03-17T10:00:00+01:00" },
  items: [{ name: "nq-gate-db-01" }, { name: "quaystore" }],
};

describe("tickets of another system", () => {
  it("are read by what stands where, with the address of the next page", async () => {
    const read = await readTickets(answer([ROW, { number: "4712" }], true), "application/json", readingOf(HOUSE));
    expect(read).toEqual({
      ok: true,
      next: "/list?after=7",
      tickets: [
        {
          ref: "4711",
          title: "New pumps",
          state: "planned",
          person: "Ilse",
          fromMs: Date.parse("2026-03-17T08:00:00Z"),
          toMs: Date.parse("2026-03-17T09:00:00Z"),
          things: ["nq-gate-db-01", "quaystore"],
        },
        { ref: "4712", title: "", state: "", person: "", fromMs: null, toMs: null, things: [] },
      ],
    });
  });
  it("may be a single one, a plain list, or rows of CSV with columns of other names", async () => {
    const reading = readingOf("items = result.rows\nref = number\nthings = about");
    const one = await readTickets(JSON.stringify({ result: { rows: { number: 1, about: "a; b" } } }), "", reading);
    expect(one.ok && one.tickets.map((ticket) => [ticket.ref, ticket.things])).toEqual([["1", ["a", "b"]]]);
    const list = await readTickets('[{"number":2}]', "application/json", reading);
    expect(list.ok && list.tickets[0]?.ref).toBe("2");
    const rows = await readTickets(
      "Change Number,about\nC-3,x\n",
      "text/csv",
      readingOf("ref = `Change Number`\nthings = about"),
    );
    expect(rows.ok && rows.tickets[0]).toMatchObject({ ref: "C-3", things: ["x"] });
  });
  it("that cannot be read are refused with what is wrong and where", async () => {
    const problem = async (body: string, text = HOUSE) => {
      const read = await readTickets(body, "application/json", readingOf(text));
      return read.ok ? undefined : read.problem;
    };
    expect(await problem('{"result":{}}')).toBe("“items = result.rows” leads nowhere in the answer.");
    expect(await problem('{"a":1}', "ref = a")).toContain("Say where its tickets stand");
    expect(await problem("{")).toBe("The answer is no JSON.");
    expect(await problem(answer([{}]))).toContain("Ticket 1");
    expect(await problem(answer([{ number: 1, planned: { begin: "soon" } }]))).toContain("“soon” is no instant");
    expect(await problem(answer([{ number: 1 }]), 'items = result.rows\nref = $number("x")')).toContain(
      "fails on an answer",
    );
  });
  it("ask for lines that can be read", () => {
    expect(problemOf("number")).toContain("Line 1: write a part");
    expect(problemOf("ref = a\n\nowner = b")).toContain("Line 3: “owner” is no part of a ticket");
    expect(problemOf("ref = a\nref = b")).toBe("Line 2: “ref” is said twice.");
    expect(problemOf("ref = a +")).toContain("Line 1: “a +” is no expression");
    expect(problemOf("title = a")).toContain("“ref = …”");
    expect(problemOf("# nothing\n")).toBeUndefined();
  });
});
