import { calendarOf } from "#core/telling/calendar";
import { byPerson, gapsIn, onCallAt, shiftsIn, type Shift } from "#core/telling/rotation";
import { DAY_MS } from "#core/time/windows";
import { contactsByAccount } from "../store/contacts";
import type { Db } from "../store/database";
import { listAccounts } from "../store/people";
import { listRotations, overridesAfter, rotationById, type RotationRow } from "../store/rotations";
import { personFinder } from "../telling/directory";

/** Gaps in the cover are looked for so far ahead. */
const AHEAD_MS = 60 * DAY_MS;
/** Shifts of a calendar that others subscribe to: so far back and ahead. */
const CALENDAR_MS = 180 * DAY_MS;

/** What working shifts out takes: people by id and by what calendars call them, and who takes over. */
function known(db: Db, fromMs: number) {
  const accounts = listAccounts(db).filter((one) => one.closedAt === null);
  const contacts = contactsByAccount(db);
  const overrides = overridesAfter(db, fromMs);
  return {
    accounts,
    contacts,
    nameOf: (id: number | null) =>
      id === null ? null : (accounts.find((one) => one.id === id)?.name ?? "somebody who left"),
    personOf: personFinder(accounts, contacts),
    overridesOf: ({ id }: RotationRow) => overrides.filter((one) => one.rotationId === id),
  };
}

/** Who is on call now, rotation by rotation: for the top of every page. */
export function onCallNow(db: Db, { nowMs }: { nowMs: number }) {
  const { nameOf, personOf, overridesOf } = known(db, nowMs);
  return listRotations(db).map((one) => ({
    rotation: one.name,
    name: nameOf(onCallAt(one.plan, overridesOf(one), nowMs, personOf).person),
  }));
}

/** Every rotation: who is on call now and next, the shifts of the days ahead, gaps before they happen. */
export function onCallPage(db: Db, { fromMs, toMs, nowMs }: { fromMs: number; toMs: number; nowMs: number }) {
  const { accounts, nameOf, personOf, overridesOf } = known(db, Math.min(fromMs, nowMs));
  const named = (shifts: readonly Shift[]) => byPerson(shifts).map((one) => ({ ...one, name: nameOf(one.person) }));
  return {
    people: accounts.map(({ id, name }) => ({ id, name })),
    rotations: listRotations(db).map((one) => {
      const overrides = overridesOf(one);
      const ahead = shiftsIn(one.plan, overrides, nowMs, nowMs + AHEAD_MS, personOf);
      const [current, ...later] = named(ahead);
      return {
        id: one.id,
        name: one.name,
        zone: one.plan.zone,
        cover: one.plan.cover,
        now: current ?? null,
        next: later[0] ?? null,
        shifts: named(shiftsIn(one.plan, overrides, fromMs, toMs, personOf)),
        gaps: gapsIn(one.plan, ahead),
        overrides: overrides.map((override) => ({ ...override, name: nameOf(override.person) })),
      };
    }),
  };
}

/** The form of a rotation: it, and who can take turns. */
export function rotationPage(db: Db, { id }: { id: number | null }) {
  const rotation = id === null ? null : (rotationById(db, id) ?? null);
  if (id !== null && !rotation) return null;
  return {
    rotation,
    people: listAccounts(db)
      .filter((one) => one.closedAt === null)
      .map((one) => ({ id: one.id, name: one.name })),
  };
}

/** The shifts of a rotation as a calendar (RFC 5545). */
export function rotationCalendar(db: Db, { id, nowMs }: { id: number; nowMs: number }) {
  const rotation = rotationById(db, id);
  if (!rotation) return null;
  const { contacts, nameOf, personOf, overridesOf } = known(db, nowMs - CALENDAR_MS);
  const span = [nowMs - CALENDAR_MS / 6, nowMs + CALENDAR_MS] as const;
  const shifts = byPerson(shiftsIn(rotation.plan, overridesOf(rotation), ...span, personOf));
  return {
    name: rotation.name,
    text: calendarOf(
      `On call: ${rotation.name}`,
      `rotation-${id}`,
      shifts.flatMap(({ fromMs, toMs, person }) =>
        person === null ? [] : [{ fromMs, toMs, who: nameOf(person) ?? "", mail: contacts.get(person)?.mail || null }],
      ),
      nowMs,
    ),
  };
}
