import { describe, expect, it } from "vitest";
import { FingerprintBook } from "#core/estate/fingerprints";
import { readFingerprints } from "../../server/estate/fingerprints";

// Lines as the programs themselves write them: banners and answers taken from running Debian 12's packages, or, where a
// program is not packaged there, from the documents of its protocol.
const shipped = readFingerprints(process.cwd());
const book = new FingerprintBook(shipped);

describe("shipped fingerprints", () => {
  for (const [id, { product, lines }] of Object.entries(shipped))
    it.each(lines)(`${product}: $on “$text”`, ({ on, text, version }) => {
      const found = book.identify({ [on]: [text] }, id);
      expect(found?.product).toBe(product);
      expect(found?.version).toBe(version);
    });
  it("has a line for each fingerprint, and at least one for each question", () => {
    for (const [id, one] of Object.entries(shipped)) {
      expect(one.lines.length, id).toBeGreaterThan(0);
      if (one.ask)
        expect(
          one.lines.some((line) => line.on === "answer"),
          id,
        ).toBe(true);
    }
  });
  it("takes an answer only for one to its own question", () =>
    expect(book.identify({ answer: ["N"] }, "redis")).toBeUndefined());
});
