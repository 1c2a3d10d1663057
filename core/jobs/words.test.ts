import { describe, expect, it } from "vitest";
import { jobReader, jobWordsSchema, wordsToSearch } from "./words";

const words = (given: object) => jobWordsSchema.parse({ begins: "Job {job} begun", ends: "Job {job} done", ...given });

describe("lines that tell of jobs", () => {
  it("name the job that begins, is done, or failed", () => {
    const read = jobReader(words({ fails: "Job {job} failed" }));
    expect(read("Job month-end begun: 60000 rows")).toEqual({ job: "month-end", what: "begins" });
    expect(read("INFO Job night copy done: 7 rows in 3 s")).toEqual({ job: "night copy", what: "ends" });
    expect(read("Job month-end failed: no such table")).toEqual({ job: "month-end", what: "fails" });
    expect(read("Job month-end")).toBeUndefined();
    expect(read("")).toBeUndefined();
  });

  it("take one word where the name begins or ends the line", () => {
    const read = jobReader(words({ begins: "starting run of {job}", ends: "{job} finished" }));
    expect(read("starting run of tariff-copy now")).toEqual({ job: "tariff-copy", what: "begins" });
    expect(read("02:30 tariff-copy finished")).toEqual({ job: "tariff-copy", what: "ends" });
    expect(read("starting run of ")).toBeUndefined();
  });

  it("read past what differs, and know a job by the name people gave it", () => {
    const read = jobReader(words({ name: "tariffs", begins: "run * started", ends: "run * over" }));
    expect(read("run 4711 of 9 started")).toEqual({ job: "tariffs", what: "begins" });
    expect(read("run 4711 over")).toEqual({ job: "tariffs", what: "ends" });
  });

  it("ask what went wrong before what ended", () => {
    const read = jobReader(words({ ends: "Job {job} done", fails: "Job {job} done with errors" }));
    expect(read("Job copy done with errors")?.what).toBe("fails");
    expect(read("Job copy done")?.what).toBe("ends");
  });

  it("are not taken for a job with a name that is too long, nor gone through twice for crafted lines", () => {
    const read = jobReader(words({ begins: "aa*aa*aa*{job}bb", ends: "Job {job} done" }));
    expect(read("a".repeat(200_000))).toBeUndefined();
    expect(read(`Job ${"x".repeat(500)} done`)).toBeUndefined();
  });

  it("say what is missing", () => {
    const problems = (given: object) =>
      jobWordsSchema
        .safeParse({ begins: "Job {job} begun", ends: "Job {job} done", ...given })
        .error?.issues.map((one) => `${one.path.join(".")}: ${one.message}`);
    expect(problems({ begins: "it begins" })).toEqual([
      "begins: Put {job} where the name of the job stands, or name the job.",
    ]);
    expect(problems({ begins: "it begins", name: "copy" })).toBeUndefined();
    expect(problems({ begins: "{job} {job} x" })?.[0]).toContain("Only one {job}");
    expect(problems({ ends: "*" })?.[0]).toContain("Say some words");
  });

  it("are searched for by whole words only", () => {
    expect(wordsToSearch("Job {job} begun*rows: ok")).toEqual(["job", "begun", "ok"]);
    expect(wordsToSearch("{job}-done")).toEqual(["done"]);
  });
});
