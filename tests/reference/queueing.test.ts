import { describe, expect, it } from "vitest";
import { erlangB, erlangC, waitGGc, waitMMc } from "#standins/world/queueing";

describe("Erlang B", () => {
  // Source: the published tables of traffic that N servers carry at 1 % loss (ITU-D, Teletraffic Engineering Handbook, table of
  // Erlang's B-formula); values from memory, to two decimals.
  it.each([
    [1, 0.0101],
    [2, 0.153],
    [5, 1.36],
    [10, 4.46],
    [20, 12.03],
    [50, 37.9],
  ])("%i servers lose 1 in 100 at %f erlang", (servers, offered) => {
    expect(erlangB(servers, offered)).toBeCloseTo(0.01, 3);
  });
  // Source: the definition, A^N/N! over the sum of A^k/k! (Erlang 1917), worked out directly.
  it("is its definition", () => {
    for (const [servers, offered] of [
      [1, 0.5],
      [3, 2],
      [7, 9],
    ] as const) {
      let [term, sum] = [1, 1];
      for (let k = 1; k <= servers; k++) {
        term *= offered / k;
        sum += term;
      }
      expect(erlangB(servers, offered)).toBeCloseTo(term / sum, 12);
    }
  });
});

describe("M/M/1, M/M/c, M/G/1", () => {
  // Source: ../shared/references: M/M/1 at 0.8 has 4 in the system on average, 3.2 of them waiting.
  it("M/M/1 at 0.8", () => {
    const wait = waitMMc(1, 0.8, 1);
    expect(0.8 * wait).toBeCloseTo(3.2, 10);
    expect(0.8 * (wait + 1)).toBeCloseTo(4, 10);
    expect(erlangC(1, 0.8)).toBeCloseTo(0.8, 12);
  });
  // Source: L. Kleinrock, Queueing Systems I (1975), section 3.5: M/M/2 waits with probability 2ρ²/(1+ρ).
  it("M/M/2", () => {
    for (const rho of [0.2, 0.5, 0.9]) expect(erlangC(2, 2 * rho)).toBeCloseTo((2 * rho ** 2) / (1 + rho), 12);
  });
  // Source: Pollaczek–Khinchine: Wq = λ E[S²] / (2 (1 − ρ)); with constant service half of M/M/1.
  it("M/D/1 and M/G/1", () => {
    expect(waitGGc(1, 0.8, 1, 1, 0)).toBeCloseTo(waitMMc(1, 0.8, 1) / 2, 12);
    const [rate, mean, cv2] = [3, 0.25, 2.3];
    const second = mean ** 2 * (1 + cv2);
    expect(waitGGc(1, rate, mean, 1, cv2)).toBeCloseTo((rate * second) / (2 * (1 - rate * mean)), 12);
  });
});
