import { networkInterfaces } from "node:os";
import { prepared, readMeta, type Db } from "../store/database";

const KEY = "own-site";

/** The site at which people say this installation stands; undefined where nobody said so. */
export const saidSite = (db: Db): string | undefined => readMeta(db, KEY) || undefined;

export { KEY as OWN_SITE };

/**
 * The site at which this installation stands, and so from where everything is looked at: as people said, else that of the host
 * that has one of this machine's addresses; undefined where neither is known.
 */
export function ownSite(db: Db): string | undefined {
  const said = saidSite(db);
  if (said !== undefined) return said;
  const addresses = Object.values(networkInterfaces()).flatMap((list) =>
    (list ?? []).flatMap((one) => (one.internal ? [] : [one.address])),
  );
  const found = prepared<{ site: string }>(
    db,
    `SELECT site FROM component WHERE valid_to IS NULL AND host_id IS NULL AND site <> ''
       AND address IN (SELECT value FROM json_each(?)) ORDER BY id LIMIT 1`,
  ).get(JSON.stringify(addresses));
  return found?.site;
}
