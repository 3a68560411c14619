/** A function whose result is worked out once for each object, and kept as long as the object is. */
export function derived<K extends object, V>(make: (of: K) => V): (of: K) => V {
  const known = new WeakMap<K, V>();
  return (of) => {
    let value = known.get(of);
    if (value === undefined) {
      value = make(of);
      known.set(of, value);
    }
    return value;
  };
}

/** Values that are kept with an object by names, each made when it is first asked for. */
export function derivedByName<K extends object, N, V>(): (of: K, name: N, make: () => V) => V {
  const mapOf = derived((_: K) => new Map<N, V>());
  return (of, name, make) => {
    const known = mapOf(of);
    let value = known.get(name);
    if (value === undefined) {
      value = make();
      known.set(name, value);
    }
    return value;
  };
}
