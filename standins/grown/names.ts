import type { Chance } from "./chance";

const FIRST =
  "alder ash aspen bay bell birch bramble brine broad cairn chalk clay cliff cobble crag dale dell dune elder fallow fen fern field flax flint ford gorse grove hazel heath hedge holm juniper kelp knoll larch ling loam marsh mead mere mill moor moss oat osier peat pine quarry reed ridge rowan rush rye sedge shale sloe stone tansy thorn vale weald willow wold yarrow".split(
    " ",
  );
const SECOND =
  "bay beck bourne bridge brook burn by cote croft dale den end fell field ford gate ham head hill hurst lea ley mere mouth port shaw side stead stow thwaite ton wick wood worth".split(
    " ",
  );
const TRADES =
  "Bakers Carriers Dyers Foresters Glaziers Grinders Millers Printers Quarries Ropeworks Spinners Tanners Timber Weavers".split(
    " ",
  );
const WORK = "orders bookings stock rates letters parcels rotas meters permits claims lessons fares crews leases".split(
  " ",
);

/** Made-up names of an estate; each is given once. */
export class Names {
  private readonly firsts: string[];
  private readonly works: string[];

  constructor(private readonly chance: Chance) {
    this.firsts = chance.mixed(FIRST);
    this.works = chance.mixed(WORK);
  }

  place(): string {
    return `${this.firsts.pop() ?? "over"}${this.chance.one(SECOND)}`;
  }

  organisation(place: string): string {
    return `${capital(place)} ${this.chance.one(TRADES)}`;
  }

  /** What a service is about: "orders". */
  work(): string {
    return this.works.pop() ?? "records";
  }

  /** Of a program, by what it does: "fernstore". */
  program(does: string): string {
    return `${this.firsts.pop() ?? "over"}${does}`;
  }
}

export const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
