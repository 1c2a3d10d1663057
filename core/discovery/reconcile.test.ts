import { describe, expect, it } from "vitest";
import type { Draft } from "./recognise";
import { reconcile, type Known } from "./reconcile";

const draft = (changes: Partial<Draft> = {}): Draft => ({
  keys: ["name:a.example", "addr:127.20.1.5"],
  kind: "host.linux",
  name: "a",
  facts: { address: "127.20.1.5" },
  reasons: [],
  ...changes,
});
const known = (changes: Partial<Known> = {}): Known => ({
  id: 1,
  kind: "host.linux",
  name: "a",
  keys: ["name:a.example", "addr:127.20.1.5"],
  facts: { address: "127.20.1.5" },
  retired: false,
  ...changes,
});

describe("reconciling drafts with what is known", () => {
  it("finds the same thing by its strongest key", () =>
    expect(reconcile([draft()], [known()])).toMatchObject([
      { outcome: "same", id: 1, reason: "same name “a.example”" },
    ]));
  it("follows a host that moved to another address", () => {
    const [result] = reconcile(
      [draft({ keys: ["name:a.example", "addr:127.20.1.9"], facts: { address: "127.20.1.9" } })],
      [known()],
    );
    expect(result).toMatchObject({
      outcome: "changed",
      id: 1,
      changes: [{ fact: "address", before: "127.20.1.5", after: "127.20.1.9" }],
    });
  });
  it("knows a host by its address before it told its name", () => {
    const [result] = reconcile(
      [draft()],
      [known({ keys: ["addr:127.20.1.5"], kind: "host.unknown", name: "127.20.1.5" })],
    );
    expect(result).toMatchObject({ outcome: "changed", id: 1 });
  });
  it("brings a retired thing back", () =>
    expect(reconcile([draft()], [known({ retired: true })])).toMatchObject([{ outcome: "back", id: 1 }]));
  it("gives one known thing to one draft only", () => {
    const results = reconcile([draft(), draft({ keys: ["name:b.example", "addr:127.20.1.5"] })], [known()]);
    expect(results.map((result) => result.outcome)).toEqual(["same", "new"]);
  });
  it("lets a look from outside take nothing back of what the system told", () => {
    const outside = draft({
      keys: ["addr:127.20.1.5"],
      kind: "host.unknown",
      name: "127.20.1.5",
      facts: { address: "127.20.1.5" },
      outside: true,
    });
    expect(
      reconcile([outside], [known({ facts: { address: "127.20.1.5", "object id": "1.3.6.1.4.1.8072.3.2.10" } })]),
    ).toMatchObject([{ outcome: "same", id: 1 }]);
    expect(reconcile([outside], [known()])).toMatchObject([{ outcome: "changed", id: 1 }]);
  });
  it("passes over facts that vary by nature", () =>
    expect(
      reconcile(
        [draft({ facts: { address: "127.20.1.5", "open ports": "22" } })],
        [known({ facts: { address: "127.20.1.5", "open ports": "22, 80" } })],
      )[0]?.outcome,
    ).toBe("same"));
});
