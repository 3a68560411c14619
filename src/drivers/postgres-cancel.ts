/** The part of a connection of `pg`, below its queries, that is used. */
interface Connection {
  connect(port: number | string, host?: string): void;
  /** Sends a cancel request in place of a startup: the only thing that such a connection is for. */
  cancel(process: number, secret: unknown): void;
  on(event: "connect" | "end" | "error", listener: () => void): unknown;
  readonly stream?: { destroy(): void };
}

interface Inner {
  readonly processID?: number;
  readonly secretKey?: unknown;
  readonly host?: string;
  readonly port?: number;
  readonly connection?: Connection;
}

/**
 * Asks the server to end what a connection is doing, by the protocol's own cancel request, and waits until the server
 * has taken it: so it cannot hit the connection's next statement. Where that is not possible the connection is closed.
 */
export async function cancelOnServer(pool: object, client: object): Promise<void> {
  const { processID, secretKey, host, port, connection } = client as Inner;
  try {
    const { Client, options } = pool as {
      readonly Client?: new (options: unknown) => Inner;
      readonly options?: unknown;
    };
    const asking = Client === undefined ? undefined : new Client(options).connection;
    if (asking === undefined || processID === undefined || host === undefined || port === undefined)
      throw new Error("a package of another make");
    await new Promise<void>((resolve, reject) => {
      asking.on("connect", () => asking.cancel(processID, secretKey));
      asking.on("end", resolve);
      asking.on("error", () => reject(new Error("no second connection")));
      if (host.startsWith("/")) asking.connect(`${host}/.s.PGSQL.${port}`);
      else asking.connect(port, host);
    });
  } catch {
    connection?.stream?.destroy();
  }
}
