import { expect, it } from "vitest";
import { Admission } from "./admission";

/** An engine that takes `ms` for each batch, one after the other, met by more than it can take. */
function flood(ms: number, seconds: number) {
  let now = 0;
  const admission = new Admission(200, () => now);
  const queue: { id: number; at: number }[] = [];
  const waits: number[] = [];
  let refused = 0;
  let id = 0;
  let freeAt = 0;
  for (; now < seconds * 1000; now++) {
    // Two a millisecond.
    for (let index = 0; index < 2; index++)
      if (admission.isOpen) {
        queue.push({ id, at: now });
        admission.begin(id++);
      } else refused++;
    if (now >= freeAt && queue.length) {
      const one = queue.shift() as { id: number; at: number };
      waits.push(now - one.at);
      admission.end(one.id);
      freeAt = now + ms;
    }
  }
  return { waits, refused };
}

it("keeps the wait short however slow the engine is, and refuses the rest at once", () => {
  for (const ms of [1, 10, 50, 300]) {
    const { waits, refused } = flood(ms, 60);
    const settled = waits.slice(Math.floor(waits.length / 3));
    expect(refused).toBeGreaterThan(0);
    expect(Math.max(...waits), `${ms}`).toBeLessThan(5_000);
    expect(Math.max(...settled), `${ms}`).toBeLessThan(3_500);
  }
});

it("lets everything in while the engine is quick", () => {
  let now = 0;
  const admission = new Admission(200, () => now);
  for (let id = 0; id < 10_000; id++) {
    expect(admission.isOpen).toBe(true);
    admission.begin(id);
    now += 20;
    admission.end(id);
  }
});

it("opens again after a stall", () => {
  let now = 0;
  const admission = new Admission(200, () => now);
  admission.begin(1);
  now = 5_000;
  expect(admission.isOpen).toBe(false);
  admission.end(1);
  expect(admission.isOpen).toBe(true);
});
