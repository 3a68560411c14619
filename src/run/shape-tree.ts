/** So many places a tree may have; a program's shapes of one entity need far fewer. */
const mostPlaces = 20_000;

/** How many places there are in one tree. */
interface Size {
  places: number;
}

/**
 * A place in a tree of shapes. What is told of a query, one word after the other, leads from the root to the place of its shape, where what
 * is made of it is kept. Words are compared as they are and not put together to a text, which took a fifth of a single delete (SQLite).
 */
export class ShapePlace<Kept> {
  /** What is kept here. */
  kept: Kept | undefined;
  readonly #size: Size;
  /** The word that was gone along last, and where it leads: most places know no other. */
  #word: unknown;
  #next: ShapePlace<Kept> | undefined;
  #others: Map<unknown, ShapePlace<Kept>> | undefined;

  constructor(size: Size) {
    this.#size = size;
    size.places++;
  }

  /** Where a word leads from here. */
  at(word: unknown): ShapePlace<Kept> {
    return this.#next !== undefined && this.#word === word ? this.#next : this.#turn(word);
  }

  #turn(word: unknown): ShapePlace<Kept> {
    let next = this.#others?.get(word);
    if (next === undefined) {
      next = new ShapePlace(this.#size);
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

/** The shapes of one entity's queries; made anew where they become too many, as they do where a limit is another one each time. */
export class ShapeTree<Kept> {
  #size: Size = { places: 0 };
  #root = new ShapePlace<Kept>(this.#size);

  get root(): ShapePlace<Kept> {
    if (this.#size.places > mostPlaces) {
      this.#size = { places: 0 };
      this.#root = new ShapePlace(this.#size);
    }
    return this.#root;
  }
}
