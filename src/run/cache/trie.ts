/** So many nodes a trie may have; the statements of a program's queries of one entity need far fewer. */
const mostNodes = 20_000;

/** How many nodes there are in one trie. */
interface Size {
  nodes: number;
}

/**
 * A node of a trie. The words of a key lead from the root to the node that holds its value. Words are compared by
 * identity and are not joined to a text, which took a fifth of a single delete (SQLite).
 */
export class TrieNode<Value> {
  value: Value | undefined;
  readonly #size: Size;
  /** The word that was followed last, and where it leads: most nodes have no other. */
  #word: unknown;
  #next: TrieNode<Value> | undefined;
  #others: Map<unknown, TrieNode<Value>> | undefined;

  constructor(size: Size) {
    this.#size = size;
    size.nodes++;
  }

  /** The node that a word leads to; made if there is none. */
  next(word: unknown): TrieNode<Value> {
    return this.#next !== undefined && this.#word === word ? this.#next : this.#turn(word);
  }

  #turn(word: unknown): TrieNode<Value> {
    let next = this.#others?.get(word);
    if (next === undefined) {
      next = new TrieNode(this.#size);
      if (this.#next !== undefined) {
        this.#others ??= new Map([[this.#word, this.#next]]);
        this.#others.set(word, next);
      }
    }
    this.#word = word;
    this.#next = next;
    return next;
  }
}

/**
 * Values by keys of many words; emptied if it grows too large, as it does if a limit is another number in each query.
 */
export class Trie<Value> {
  #size: Size = { nodes: 0 };
  #root = new TrieNode<Value>(this.#size);

  get root(): TrieNode<Value> {
    if (this.#size.nodes > mostNodes) {
      this.#size = { nodes: 0 };
      this.#root = new TrieNode(this.#size);
    }
    return this.#root;
  }
}
