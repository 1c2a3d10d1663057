// An application as people write them: HTTP in front, a database connection kept open, a cache asked now and then.
import { createServer } from "node:http";
import { connect } from "node:net";

const [port, database, cache] = process.argv.slice(2);

/** Signs in to PostgreSQL (protocol 3.0, user postgres, no password) and stays. */
function holdDatabase() {
  if (!database) return;
  const [host, at] = database.split(":");
  const socket = connect(Number(at), host, () => {
    const body = Buffer.from("\0\x03\0\0user\0postgres\0database\0postgres\0\0", "latin1");
    const length = Buffer.alloc(4);
    length.writeUInt32BE(body.length + 4);
    socket.write(Buffer.concat([length, body]));
  });
  socket.on("data", () => undefined);
  socket.on("error", () => undefined);
  socket.on("close", () => setTimeout(holdDatabase, 300));
}
for (let count = 0; count < 3; count++) holdDatabase();

/** Asks the cache and hangs up, twice a second: a sweep meets such a connection by luck only. */
function askCache() {
  if (!cache) return;
  const [host, at] = cache.split(":");
  const socket = connect(Number(at), host, () => socket.write("PING\r\n"));
  setTimeout(() => socket.destroy(), 400);
  socket.on("error", () => undefined);
}
setInterval(askCache, 500);

createServer((_request, response) => response.end("ok")).listen(Number(port), "0.0.0.0");
