import type { SourceTools } from "../sources/driver";
import type { Db } from "../store/database";
import { hostKeyOf, trustHostKey } from "../store/runs";
import { shippedBook } from "./fingerprints";

/** What drivers are given: they know no store. */
export const sourceTools = (db: Db, root: string, now: () => number): SourceTools => ({
  book: shippedBook(root),
  hostKeys: {
    known: (address, port) => hostKeyOf(db, address, port)?.fingerprint,
    met: (address, port, fingerprint) => trustHostKey(db, address, port, fingerprint, now()),
  },
});
