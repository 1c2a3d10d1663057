import { describe, expect, it } from "vitest";
import { z } from "zod";
import { readSource } from "../sources/input";
import { sourceDrivers } from "../sources/registry";
import { fieldsOf } from "./fields";

describe("fields of a form", () => {
  const schema = z.object({
    ranges: z.string().meta({ title: "Addresses", description: "One a line.", lines: true }),
    port: z.coerce.number().int().default(161).meta({ title: "Port" }),
    deep: z.boolean().default(false),
    way: z
      .enum(["a", "b"])
      .default("b")
      .meta({ title: "Way", choices: ["First", "Second"] }),
  });
  it("come from the schema, with its words, defaults and choices", () => {
    expect(fieldsOf(schema)).toEqual([
      { name: "ranges", label: "Addresses", help: "One a line.", type: "lines", value: "", choices: [] },
      { name: "port", label: "Port", help: "", type: "number", value: "161", choices: [] },
      { name: "deep", label: "deep", help: "", type: "boolean", value: "false", choices: [] },
      {
        name: "way",
        label: "Way",
        help: "",
        type: "choice",
        value: "b",
        choices: [
          { value: "a", label: "First" },
          { value: "b", label: "Second" },
        ],
      },
    ]);
  });
  it("show what is kept over the defaults, a zero and a no too", () => {
    const shown = fieldsOf(schema, { port: 0, deep: true, ranges: "10.0.0.0/24" });
    expect(shown.map((field) => field.value)).toEqual(["10.0.0.0/24", "0", "true", "b"]);
  });
  it("of every kind of source say what they are", () => {
    for (const driver of sourceDrivers())
      for (const field of fieldsOf(driver.settings)) {
        expect(field.label, `${driver.kind} ${field.name}`).not.toBe(field.name);
        expect(field.label).toMatch(/^[A-Z]/);
      }
  });
});

describe("a source read from flat fields", () => {
  const fields = {
    kind: "range",
    name: " Yard ",
    site: "North Quay",
    ranges: "10.0.0.0/28",
    ports: "22, 443",
    snmpPort: "161",
    pollSeconds: "60",
    credential: "secret",
  };
  it("has what all have apart from the settings of its kind", () => {
    const read = readSource(fields);
    expect(read).toMatchObject({
      ok: true,
      source: { kind: "range", name: "Yard", site: "North Quay", pollSeconds: 60, credential: "secret" },
    });
    expect(read.ok && Object.keys(read.source.settings as object)).toEqual(
      expect.arrayContaining(["ranges", "ports", "snmpPort"]),
    );
    expect(JSON.stringify(read.ok && read.source.settings)).not.toContain("secret");
  });
  it("takes the word of the version before for its credential", () => {
    const { credential: _credential, ...older } = fields;
    expect(readSource({ ...older, community: "public-7" })).toMatchObject({ source: { credential: "public-7" } });
  });
  it.each([
    [{ name: "  " }, "name", "Give the source a name."],
    [{ site: undefined }, "site", "Say which site it belongs to."],
    [{ pollSeconds: "1" }, "pollSeconds", "Poll at most every 5 seconds."],
    [{ pollSeconds: "soon" }, "pollSeconds", "The poll interval is a number of seconds."],
    [{ kind: "crystal ball" }, "kind", "There is no kind of source “crystal ball”. Choose another."],
  ])("says which field is wrong: %j", (change, field, sentence) => {
    const read = readSource({ ...fields, ...change });
    expect(read.ok ? {} : read.fields).toMatchObject({ [field]: sentence });
  });
  it("names every wrong field at once", () => {
    const read = readSource({ ...fields, name: "", ranges: "nonsense", ports: "70000" });
    expect(Object.keys(read.ok ? {} : read.fields).sort()).toEqual(["name", "ports", "ranges"]);
  });
});
