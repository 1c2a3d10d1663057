import { expect, it } from "vitest";
import { droppedOnPort } from "./udp-buffer";

// As proc(5) describes it; two sockets on port 5514 (0x158A), one on another.
const TABLE = `   sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode ref pointer drops
14682: 00000000:158A 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 147501 2 0000000079e9af68 15
14683: 0100007F:158A 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 147502 2 0000000079e9af69 4
  102: 0100007F:0035 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 147503 2 0000000079e9af70 99
`;

it("counts what the kernel dropped on a port", () => {
  expect(droppedOnPort(TABLE, 5514)).toBe(19);
  expect(droppedOnPort(TABLE, 53)).toBe(99);
  expect(droppedOnPort(TABLE, 5515)).toBeUndefined();
});
