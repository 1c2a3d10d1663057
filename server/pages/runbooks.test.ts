import { describe, expect, it } from "vitest";
import type { RunRow } from "../store/runs";
import { figuresOf } from "./runbooks";

const MINUTE = 60_000;
const run = (more: Partial<RunRow>): RunRow =>
  ({
    state: "passed",
    started_at: 5 * MINUTE,
    incident_at: 0,
    policy_id: null,
    proof: "proved",
    proof_at: 10 * MINUTE,
    ...more,
  }) as RunRow;

describe("how runs of a runbook went", () => {
  it("counts what policies saved against what people took, and says nothing where nobody did it by hand", () => {
    const byHand = [10, 20, 30].map((minutes) => run({ proof_at: minutes * MINUTE }));
    const byPolicy = [4, 6, 25].map((minutes) => run({ policy_id: 1, proof_at: minutes * MINUTE }));
    expect(figuresOf([...byHand, ...byPolicy])).toMatchObject({
      runs: 6,
      byPolicy: 3,
      proved: 6,
      byHandMs: 20 * MINUTE,
      byPolicyMs: 6 * MINUTE,
      // The one that took longer than people saved nothing; it does not cost what others saved.
      savedMs: (16 + 14) * MINUTE,
    });
    expect(figuresOf(byPolicy)).toMatchObject({ byHandMs: null, savedMs: null, byPolicyMs: 6 * MINUTE });
    expect(figuresOf(byHand)).toMatchObject({ byPolicyMs: null, savedMs: null });
  });

  it("leaves out what was not proved, and what belongs to no incident", () => {
    expect(
      figuresOf([run({ proof: "no effect" }), run({ incident_at: null }), run({ proof: "watching" })]),
    ).toMatchObject({
      watched: 2,
      proved: 1,
      byHandMs: null,
    });
    expect(figuresOf([])).toMatchObject({ runs: 0, toProofMs: null });
  });
});
