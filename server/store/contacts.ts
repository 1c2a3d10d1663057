import type { WeekHours } from "#core/telling/week-hours";
import { prepared, type Db } from "./database";

/** Where somebody is reached, and how much they can bear. */
export interface Contact {
  mail: string;
  browser: boolean;
  /** What is played for a message in the browser; "none" for nothing. */
  sound: string;
  mostAnHour: number;
  quiet: WeekHours | null;
  zone: string;
}

/** Of somebody who has said nothing. */
export const NO_CONTACT: Contact = { mail: "", browser: true, sound: "none", mostAnHour: 20, quiet: null, zone: "UTC" };

interface Stored {
  account_id: number;
  mail: string;
  browser: number;
  sound: string;
  most_an_hour: number;
  quiet: string | null;
  zone: string;
}

const toContact = (row: Stored): Contact => ({
  mail: row.mail,
  browser: row.browser === 1,
  sound: row.sound,
  mostAnHour: row.most_an_hour,
  quiet: row.quiet === null ? null : (JSON.parse(row.quiet) as WeekHours),
  zone: row.zone,
});

export const contactsByAccount = (db: Db): Map<number, Contact> =>
  new Map(
    prepared<Stored>(db, "SELECT account_id, mail, browser, sound, most_an_hour, quiet, zone FROM contact")
      .all()
      .map((row) => [row.account_id, toContact(row)]),
  );

export const contactOf = (db: Db, accountId: number): Contact => contactsByAccount(db).get(accountId) ?? NO_CONTACT;

export function saveContact(db: Db, accountId: number, contact: Contact): void {
  const { mail, browser, sound, mostAnHour, quiet, zone } = contact;
  prepared(
    db,
    `INSERT INTO contact (account_id, mail, browser, sound, most_an_hour, quiet, zone) VALUES (?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT (account_id) DO UPDATE SET mail = excluded.mail, browser = excluded.browser, sound = excluded.sound,
       most_an_hour = excluded.most_an_hour, quiet = excluded.quiet, zone = excluded.zone`,
  ).run(accountId, mail, browser ? 1 : 0, sound, mostAnHour, quiet && JSON.stringify(quiet), zone);
}
