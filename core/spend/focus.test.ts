import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS } from "../time/windows";
import { FocusReader, ITEM_COLUMNS, LineProblem, monthAfter, monthOf, NEEDED, type Amounts } from "./focus";
import { SpendGather } from "./gather";

const HEAD = [
  ...NEEDED,
  "EffectiveCost",
  "Tags",
  "ChargeClass",
  "BillingPeriodStart",
  "ResourceId",
  "x_Own",
  "Odd one",
];
const GOOD: Record<string, string> = {
  BilledCost: "12.5",
  BillingAccountId: "a-1",
  BillingCurrency: "EUR",
  ChargeCategory: "Usage",
  ChargePeriodEnd: "2026-03-02T00:00:00Z",
  ChargePeriodStart: "2026-03-01T00:00:00Z",
  ProviderName: "Altoform",
  ServiceName: "Machines",
};
const read = (changes: Record<string, string> = {}) =>
  new FocusReader(HEAD).read(HEAD.map((name) => ({ ...GOOD, ...changes })[name] ?? ""));
const sentence = (changes: Record<string, string>) => {
  try {
    read(changes);
  } catch (error) {
    if (error instanceof LineProblem) return error.message;
    throw error;
  }
  return "";
};

describe("a line of FOCUS", () => {
  it("is read, with what is missing worked out", () => {
    const line = read();
    expect(line.amounts).toEqual([12.5, 12.5, 12.5, 12.5, 0, 0]);
    expect(line.billingMs).toBe(Date.UTC(2026, 2, 1));
    expect(line.item[ITEM_COLUMNS.indexOf("ServiceName")]).toBe("Machines");
  });

  it("keeps tags in one order, and takes none for none", () => {
    const tags = (text: string) => read({ Tags: text }).item[ITEM_COLUMNS.indexOf("Tags")];
    expect(tags('{"b":"2","a":"1"}')).toBe(tags('{"a":"1","b":"2"}'));
    expect(tags("{}")).toBe("");
    expect(tags("null")).toBe("");
  });

  it("is of the instant that it says, whatever its zone", () => {
    expect(read({ ChargePeriodStart: "2026-03-01T02:00:00+02:00" }).fromMs).toBe(Date.UTC(2026, 2, 1));
    expect(read({ ChargePeriodStart: "2026-03-01 00:00:00" }).fromMs).toBe(Date.UTC(2026, 2, 1));
  });

  it.each([
    [{ BilledCost: "1,234.50" }, "BilledCost “1,234.50” is no number"],
    [{ BilledCost: "€12" }, "no number"],
    [{ BilledCost: "" }, "BilledCost is empty."],
    [{ BilledCost: "NaN" }, "no number"],
    [{ BillingCurrency: "euro" }, "BillingCurrency “euro” is no currency"],
    [{ ChargeCategory: "Refund" }, "ChargeCategory “Refund” is none of Usage"],
    [{ ChargeClass: "Maybe" }, "ChargeClass “Maybe”"],
    [{ ChargePeriodStart: "01/03/2026" }, "ChargePeriodStart “01/03/2026” is no instant"],
    [{ ChargePeriodEnd: "2026-03-01T00:00:00Z" }, "is not after ChargePeriodStart"],
    [{ Tags: "app=gate" }, "are no JSON object"],
    [{ ProviderName: "" }, "ProviderName is empty."],
  ])("says what is wrong with %j", (changes, words) => {
    expect(sentence(changes as Record<string, string>)).toContain(words);
  });

  it("names columns that lack, are there twice, or are nobody's", () => {
    expect(() => new FocusReader(["time", "cost"])).toThrow("none of the columns of FOCUS");
    expect(() => new FocusReader(NEEDED.filter((one) => one !== "BilledCost"))).toThrow(
      "The column BilledCost is missing",
    );
    expect(() => new FocusReader([...NEEDED, "BilledCost"])).toThrow("stands there twice");
    expect(new FocusReader(HEAD).unknown).toEqual(["Odd one"]);
  });
});

describe("sums of charges", () => {
  const line = fc.record({
    service: fc.constantFrom("a", "b"),
    fromHours: fc.integer({ min: 0, max: 24 * 200 }),
    hours: fc.integer({ min: 1, max: 24 * 70 }),
    cents: fc.integer({ min: -100_000, max: 100_000 }),
    back: fc.integer({ min: 0, max: 3 }),
  });
  const START = Date.UTC(2026, 0, 1);

  it("lose and add nothing, whatever charges are for and in which order they come", () =>
    fc.assert(
      fc.property(fc.array(line, { minLength: 1, maxLength: 60 }), fc.nat(), (lines, turn) => {
        const sumsOf = (list: typeof lines) => {
          const gather = new SpendGather({ items: 10, sums: 100_000 });
          for (const { service, fromHours, hours, cents, back } of list) {
            const item = ITEM_COLUMNS.map((name) => (name === "ServiceName" ? service : ""));
            const fromMs = START + fromHours * 3_600_000;
            const amounts: Amounts = [cents / 100, cents / 100, cents / 100, cents / 100, 1, 1];
            gather.add({
              item,
              fromMs,
              toMs: fromMs + hours * 3_600_000,
              billingMs: monthAfter(monthOf(fromMs), -back),
              amounts,
            });
          }
          return gather;
        };
        const gather = sumsOf(lines);
        const sums = [...gather.sums()];
        const all = sums.reduce((sum, one) => sum + one.amounts[0], 0);
        expect(all).toBeCloseTo(
          lines.reduce((sum, one) => sum + one.cents / 100, 0),
          6,
        );
        expect(sums.reduce((sum, one) => sum + one.lines, 0)).toBe(lines.length);
        expect(sums.every((one) => one.dayMs % DAY_MS === 0)).toBe(true);
        // Nothing lies before a charge begins.
        expect(Math.min(...sums.map((one) => one.dayMs))).toBe(
          Math.floor((START + Math.min(...lines.map((one) => one.fromHours)) * 3_600_000) / DAY_MS) * DAY_MS,
        );
        const turned = [...lines.slice(turn % lines.length), ...lines.slice(0, turn % lines.length)];
        const key = (list: typeof lines) => {
          const own = sumsOf(list);
          return [...own.sums()]
            .map((one) =>
              [
                (own.items[one.item] as readonly string[]).join(),
                one.dayMs,
                one.billingMs,
                one.lines,
                one.amounts[0].toFixed(6).replace(/^-0\.0+$/, "0.000000"),
              ].join(" "),
            )
            .sort();
        };
        expect(key(turned)).toEqual(key(lines));
      }),
      { numRuns: 200 },
    ));

  it("refuse what would fill the memory", () => {
    const gather = new SpendGather({ items: 2, sums: 3 });
    const add = (name: string, day: number) =>
      gather.add({
        item: [name],
        fromMs: day * DAY_MS,
        toMs: (day + 1) * DAY_MS,
        billingMs: 0,
        amounts: [1, 1, 1, 1, 1, 1],
      });
    add("a", 0);
    add("b", 0);
    add("b", 1);
    expect(() => add("c", 0)).toThrow("more than 2 different charges");
    expect(() => add("a", 2)).toThrow("more than 3 different charges and days");
  });
});
