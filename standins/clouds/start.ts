import type { Server } from "node:http";
import type { ScenarioCloud } from "../scenario/schema";
import type { Estate } from "../seen/estate";
import { Altoform } from "./altoform";
import { startCloud, type CloudShape } from "./serve";
import { Veldtline } from "./veldtline";
import { CloudView } from "./view";

/** Interfaces by the name of their shape; a further one is a file and a line here. */
const SHAPES: Readonly<Record<ScenarioCloud["shape"], new (view: CloudView) => CloudShape>> = {
  altoform: Altoform,
  veldtline: Veldtline,
};

/** Serves every cloud of the scenario. */
export const startClouds = (estate: Estate, now: () => number): Promise<Server[]> =>
  Promise.all(
    estate.scenario.clouds.map((cloud) => {
      const view = new CloudView(estate, cloud, estate.anchorMs);
      return startCloud(view, new SHAPES[cloud.shape](view), now);
    }),
  );
