import { problemOf, type Problem } from './client';
import { listen, type Subject } from './live';

/** What the server answers to a question. It keeps turn: a late answer never takes the place of a newer one. */
export class Query<T> {
  value = $state.raw<T>();
  problem = $state.raw<Problem>();
  #turn = 0;

  /** Asks; gives the answer, or nothing when it failed or another question has been asked since. */
  async ask(question: () => Promise<T>): Promise<T | undefined> {
    const turn = ++this.#turn;
    try {
      const value = await question();
      if (turn !== this.#turn) return undefined;
      [this.value, this.problem] = [value, undefined];
      return value;
    } catch (cause) {
      if (turn === this.#turn) this.problem = problemOf(cause);
      return undefined;
    }
  }
}

/** Does something now, whenever what it reads changes, and whenever something changed on the server. For a component to begin with. */
export function follow(act: () => void, on?: readonly Subject[]): void {
  $effect(act);
  $effect(() => listen(act, on));
}

/** Asks a question and follows its answer, through all changes or those of some subjects. For a component to begin with. */
export function query<T>(question: () => Promise<T>, on?: readonly Subject[]): Query<T> {
  const q = new Query<T>();
  follow(() => void q.ask(question), on);
  return q;
}
