import type { Address, Directory } from "#core/telling/decide";
import { onCallAt } from "#core/telling/rotation";
import type { Recipient } from "#core/telling/rule";
import { listChannels, type ChannelRow } from "../store/channels";
import { contactsByAccount, NO_CONTACT, type Contact } from "../store/contacts";
import type { Db } from "../store/database";
import { listAccounts } from "../store/people";
import { listRotations, overridesAfter } from "../store/rotations";
import { wayOf } from "./ways/registry";

/** Who is reached where, as the store has it at an instant. */
export interface People extends Directory {
  channels: ReadonlyMap<number, ChannelRow>;
  contactOf: (personId: number) => Contact;
}

/** Accounts by what a calendar may call them: their address or their name. */
export function personFinder(
  accounts: readonly { id: number; name: string }[],
  contacts: ReadonlyMap<number, Contact>,
): (name: string) => number | undefined {
  const known = new Map<string, number>();
  for (const { id, name } of accounts) {
    known.set(name.toLowerCase(), id);
    const mail = contacts.get(id)?.mail.toLowerCase();
    if (mail) known.set(mail, id);
  }
  return (name) => known.get(name.trim().toLowerCase());
}

/** Reads the directory: whoever can sign in, with the ways that are on. */
export function readDirectory(db: Db, nowMs: number): People {
  const accounts = listAccounts(db).filter((one) => one.closedAt === null);
  const names = new Map(accounts.map((one) => [one.id, one.name]));
  const contacts = contactsByAccount(db);
  const channels = new Map(listChannels(db).map((one) => [one.id, one]));
  const isOn = (kind: string) => [...channels.values()].find((one) => one.kind === kind && one.isOn);
  const [mail, browser] = [isOn("mail"), isOn("browser")];
  const contactOf = (id: number) => contacts.get(id) ?? NO_CONTACT;
  const personOf = personFinder(accounts, contacts);
  const onCall = new Map<number, number | null>();
  const overrides = overridesAfter(db, nowMs);
  const rotations = new Map(listRotations(db).map((one) => [one.id, one]));

  const ofPerson = (id: number): Address[] => {
    const name = names.get(id);
    if (name === undefined) return [];
    const { mail: address, browser: isShown } = contactOf(id);
    return [
      ...(mail && address ? [addressIn(mail.id, address, id, name)] : []),
      ...(browser && isShown ? [addressIn(browser.id, String(id), id, name)] : []),
    ];
  };
  const ofRotation = (id: number): Address[] => {
    const rotation = rotations.get(id);
    if (!rotation) return [];
    let person = onCall.get(id);
    if (person === undefined) {
      const own = overrides.filter((one) => one.rotationId === id);
      ({ person } = onCallAt(rotation.plan, own, nowMs, personOf));
      onCall.set(id, person);
    }
    return person === null ? [] : ofPerson(person);
  };
  const ofChannel = (id: number): Address[] => {
    const channel = channels.get(id);
    const address = channel?.isOn ? wayOf(channel.kind)?.addressOf(channel.settings) : null;
    return channel && address ? [addressIn(id, address, null, channel.name)] : [];
  };
  return {
    channels,
    contactOf,
    addressesOf: ({ kind, id }: Recipient) =>
      kind === "person" ? ofPerson(id) : kind === "rotation" ? ofRotation(id) : ofChannel(id),
  };
}

const addressIn = (channelId: number, address: string, personId: number | null, name: string): Address => ({
  key: `${channelId} ${address}`,
  channelId,
  address,
  personId,
  name,
});
