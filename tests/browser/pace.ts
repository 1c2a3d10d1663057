/** How fast the demonstration's clock goes while stories run: as fast as hosts are polled in time on two cores. */
export const PACE = 8;
