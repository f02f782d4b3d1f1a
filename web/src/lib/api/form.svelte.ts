import { untrack } from 'svelte';
import { problemOf, type Problem } from './client';

/** What is edited comes with a version, and is saved over that version. */
export type Versioned = { version: number };

/** How something is read, edited and saved. Its key says which one it is. */
export interface How<Value, Body, Now extends Versioned> {
  /** Left out where what is edited is taken from a list. */
  read?: (key: number) => Promise<Now>;
  save: (key: number, body: Body, over: number, accept: number) => Promise<Now>;
  /** What is edited of it. */
  value: (now: Now) => Value;
  /** What is saved of what was edited. */
  body: (value: Value) => Body;
}

/** The header that says over which version something is saved. */
export const over = (version: number) => ({ 'If-Match': `"${version}"` });

/**
 * Something that is edited and then saved: what was typed, what is kept, what the server made of it. Nothing that was typed is
 * ever lost: neither by an answer that comes late, nor when somebody else saved in the meantime.
 */
export class Form<Value, Body, Now extends Versioned> {
  /** What is typed. */
  value = $state() as Value;
  /** What the server said last, of what is open. */
  now = $state.raw<Now>();
  problem = $state.raw<Problem>();
  saved = $state(false);
  busy = $state(false);
  #kept = $state('');
  #version = 0;
  #key = -1;
  #turn = 0;

  constructor(
    readonly how: How<Value, Body, Now>,
    empty: Value,
  ) {
    this.value = empty;
  }

  #written = () => JSON.stringify(this.how.body(this.value));

  /** Whether something here has not been saved. */
  get changed(): boolean {
    return this.#written() !== this.#kept;
  }

  /** What somebody else has saved in the meantime, when that kept this from being saved. */
  get theirs(): Now | undefined {
    return this.problem?.status === 412 ? (this.problem.current as Now | undefined) : undefined;
  }

  /** Begins something new. */
  begin(value: Value): void {
    this.#turn++;
    [this.#key, this.#version, this.#kept] = [0, 0, ''];
    [this.value, this.now, this.problem, this.saved] = [value, undefined, undefined, false];
  }

  /**
   * Opens the one with a key. What was open goes at once, so that nothing of it can be saved as another. What is typed while the
   * same one is read again stays. An effect that opens one does not depend on what is typed into it.
   */
  async open(key: number): Promise<void> {
    const before = untrack(this.#written);
    const another = key !== this.#key;
    if (another) [this.now, this.#kept, this.#key] = [undefined, before, key];
    [this.problem, this.saved] = [undefined, false];
    const turn = ++this.#turn;
    try {
      const now = await this.how.read?.(key);
      if (!now || turn !== this.#turn) return;
      if (another || this.#written() === before) this.take(now);
      else this.#keep(now, key);
    } catch (cause) {
      if (turn === this.#turn) this.problem = problemOf(cause);
    }
  }

  /** Takes what others have changed, unless something here has not been saved. */
  async again(): Promise<void> {
    if (!this.how.read || !this.now || this.changed || this.busy) return;
    const turn = ++this.#turn;
    const now = await this.how.read(this.#key).catch(() => undefined);
    if (!now || turn !== this.#turn || this.changed) return;
    if (JSON.stringify(now) === JSON.stringify(this.now)) return;
    this.saved = false;
    this.take(now);
  }

  /** Takes what the server says, instead of what is typed. */
  take(now: Now, key = this.#key): void {
    this.#keep(now, key);
    this.value = this.how.value(now);
    this.problem = undefined;
  }

  #keep(now: Now, key: number) {
    [this.now, this.#version, this.#key] = [now, now.version, key];
    this.#kept = JSON.stringify(this.how.body(this.how.value(now)));
  }

  /** Saves what is typed; says whether that went well. */
  async save(accept = 0): Promise<boolean> {
    [this.problem, this.saved, this.busy] = [undefined, false, true];
    const [key, sent] = [this.#key, this.#written()];
    this.#turn++; // what is being read is older
    try {
      const now = await this.how.save(key, JSON.parse(sent) as Body, this.#version, accept);
      if (key !== this.#key) return true;
      if (this.#written() === sent) this.take(now);
      else this.#keep(now, key); // something more has been typed
      this.saved = true;
      return true;
    } catch (cause) {
      if (key === this.#key) this.problem = problemOf(cause);
      return false;
    } finally {
      this.busy = false;
    }
  }

  /** Saves other values. Where that fails and cannot be settled, they are let go of. */
  async put(value: Value): Promise<boolean> {
    this.value = value;
    const done = await this.save();
    if (!done && !this.theirs && !this.problem?.misfitCount && this.now)
      this.value = this.how.value(this.now);
    return done;
  }

  /** Goes back to what is kept. */
  discard(): void {
    if (this.now) this.value = this.how.value(this.now);
    this.problem = undefined;
  }

  /** Ends a conflict: takes theirs, or saves what is typed, or a mixture, over it. */
  async settle(mixture?: Body | 'theirs'): Promise<void> {
    const theirs = this.theirs;
    if (!theirs) return;
    if (mixture === 'theirs') return this.take(theirs);
    this.#version = theirs.version;
    if (mixture) this.value = this.how.value({ ...theirs, ...mixture });
    await this.save();
  }
}
