import type { ClockSetting } from "#core/time/clock";
import { liveThroughPast, type PastContext } from "./past";
import { Standins } from "./standins";

/** The demonstration: the stand-in estate's own door, with its faults, its clock and its past. */
export class Demonstration {
  private readonly standins: Standins;
  readonly drills: {
    act(id: string, action: "start" | "stop"): Promise<string | undefined>;
    list: Standins["drills"];
    name: Standins["name"];
  };

  constructor(url: string) {
    this.standins = new Standins(url);
    this.drills = {
      act: (id, action) => this.standins.drill(id, action),
      list: () => this.standins.drills(),
      name: (id, text) => this.standins.name(id, text),
    };
  }

  arrivals = () => this.standins.arrivals();

  mail = (number: number) => this.standins.mail(number);

  /** Asks for something that is answered at once. */
  beat = () => this.standins.beat();

  setClock(setting: ClockSetting): Promise<void> {
    return this.standins.setClock(setting);
  }

  liveThroughPast(
    context: Omit<PastContext, "standins">,
    fromMs: number,
    toMs: number,
    onProgress: (text: string) => void,
  ): Promise<void> {
    return liveThroughPast({ ...context, standins: this.standins }, fromMs, toMs, onProgress);
  }
}
