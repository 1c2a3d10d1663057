import { describe, expect, it } from "vitest";
import { readOptions, USAGE } from "./options";

describe("the command line", () => {
  it("has defaults for everything", () =>
    expect(readOptions([])).toMatchObject({ port: "7070", host: "127.0.0.1", help: false }));
  it("takes --help", () => expect(readOptions(["--help"])).toMatchObject({ help: true }));
  it.each([
    [["--colour"], "There is no option “--colour”."],
    [["--port"], "--port"],
    [["stray"], "stray"],
  ])("says what is wrong with %j, and lists what there is", (args, what) => {
    const read = readOptions(args);
    expect(read).toContain(what);
    expect(read).toContain(USAGE);
  });
});
