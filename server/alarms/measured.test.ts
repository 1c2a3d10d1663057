import { expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { Measured } from "./measured";

it("tells of services whose health rests on something else from now on, each change once", () => {
  let services = [1, 2];
  const measured = new Set([2]);
  const watch = new Measured(
    () => services,
    (id) => measured.has(id),
  );
  const at = (minute: number) => watch.changed(minute * MINUTE_MS);
  // How it was before is what their health rests on.
  expect(at(0)).toEqual([]);
  measured.add(1);
  expect(at(0.5)).toEqual([]);
  expect(at(1)).toEqual([1]);
  expect(at(2)).toEqual([]);
  measured.delete(2);
  services = [1, 2, 3];
  expect(at(3)).toEqual([2]);
  // A clock that was set back is looked at as well.
  measured.add(3);
  expect(at(1)).toEqual([3]);
});
