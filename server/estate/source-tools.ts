import { FingerprintBook } from "#core/estate/fingerprints";
import type { SourceTools } from "../sources/driver";
import type { Db } from "../store/database";
import { hostKeyOf, trustHostKey } from "../store/host-keys";
import { mappingNamed } from "../store/platforms";
import { asFingerprints, namedProducts } from "../store/fingerprints";
import { readFingerprints, shippedBook } from "./fingerprints";

/** What drivers are given: they know no store. */
export const sourceTools = (db: Db, root: string, now: () => number): SourceTools => ({
  /** Asked for anew with each sweep, because people name products. */
  get book() {
    const named = namedProducts(db);
    return named.length
      ? new FingerprintBook({ ...asFingerprints(named), ...readFingerprints(root) })
      : shippedBook(root);
  },
  mapping: (name) => mappingNamed(db, name)?.text,
  now,
  hostKeys: {
    known: (address, port) => hostKeyOf(db, address, port)?.fingerprint,
    met: (address, port, fingerprint) => trustHostKey(db, address, port, fingerprint, now()),
  },
});
