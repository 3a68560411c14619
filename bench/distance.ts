import { connect as connectTo, createServer, type Socket } from "node:net";

/** Hands on what comes, so many milliseconds later, in order. */
function delayed(from: Socket, to: Socket, milliseconds: number): void {
  from.on("data", (chunk) => setTimeout(() => to.write(chunk), milliseconds));
  from.on("close", () => setTimeout(() => to.destroy(), milliseconds));
  from.on("error", () => to.destroy());
}

/** The address of a server as if it were so many milliseconds away, one way; its own address where that is 0. */
export async function distant(address: URL, milliseconds: number): Promise<{ readonly url: URL; close(): void }> {
  if (milliseconds === 0) return { url: address, close: () => {} };
  const proxy = createServer((client) => {
    const server = connectTo(Number(address.port), address.hostname);
    for (const socket of [client, server]) socket.setNoDelay(true);
    delayed(client, server, milliseconds);
    delayed(server, client, milliseconds);
  });
  await new Promise<void>((resolve) => proxy.listen(0, "127.0.0.1", resolve));
  const { port } = proxy.address() as { readonly port: number };
  const url = new URL(address.href);
  url.hostname = "127.0.0.1";
  url.port = String(port);
  return { url, close: () => void proxy.close() };
}
