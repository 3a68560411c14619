/** The part of a connection of `mysql2`, below its promises, that is used. */
interface Connection {
  readonly threadId?: number | null;
  query(text: string, done: (error: unknown) => void): unknown;
  on(event: "error", listener: () => void): unknown;
  destroy(): void;
}

interface Inner {
  readonly connection?: Connection;
}

/** A connection of the package beside those of its pool, by the same settings. */
function besides(pool: object, { connection }: Inner): Connection {
  const { pool: core } = pool as { readonly pool?: { readonly config?: { readonly connectionConfig?: object } } };
  const config = core?.config?.connectionConfig;
  const ofPool = connection === undefined ? undefined : Object.getPrototypeOf(connection);
  const plain = ofPool === undefined ? undefined : Object.getPrototypeOf(ofPool).constructor;
  if (config === undefined || typeof plain !== "function") throw new Error("a package of another make");
  return new plain({
    config: Object.assign(Object.create(Object.getPrototypeOf(config)), config, { pool: undefined }),
  });
}

/**
 * Has the server end what a connection is doing (`kill query`), by a connection beside the pool, which may have none to
 * spare. Afterwards the connection sends a statement that does nothing, which would take a kill that came too late.
 * Where that is not possible the connection is closed.
 */
export async function cancelOnServer(pool: object, target: object): Promise<void> {
  const { connection } = target as Inner;
  let asking: Connection | undefined;
  try {
    asking = besides(pool, target as Inner);
    const killing = asking;
    await new Promise<void>((resolve, reject) => {
      killing.on("error", () => reject(new Error("no second connection")));
      killing.query(`kill query ${connection?.threadId}`, (error) => (error === null ? resolve() : reject(error)));
    });
    await new Promise<void>((resolve) => connection?.query("do 0", () => resolve()));
  } catch {
    connection?.destroy();
  } finally {
    asking?.destroy();
  }
}
