/** The steps of an edit, which can be undone and done again. What is kept is text, so a step is one value. */
export class History {
  #steps = $state<string[]>([]);
  #at = $state(0);

  /** Begins anew from a state. */
  begin(state: string): void {
    this.#steps = [state];
    this.#at = 0;
  }

  /** Notes a state, unless it is the present one. What was undone before it is gone. */
  note(state: string): void {
    if (this.#steps[this.#at] === state) return;
    this.#steps = [...this.#steps.slice(Math.max(0, this.#at - 199), this.#at + 1), state];
    this.#at = this.#steps.length - 1;
  }

  get canUndo(): boolean {
    return this.#at > 0;
  }

  get canRedo(): boolean {
    return this.#at < this.#steps.length - 1;
  }

  /** The state before, or after, the present one. */
  step(by: -1 | 1): string | undefined {
    const state = this.#steps[this.#at + by];
    if (state !== undefined) this.#at += by;
    return state;
  }
}
