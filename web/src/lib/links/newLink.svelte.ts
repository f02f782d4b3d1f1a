import { problemOf, type Problem, type Shape } from '$lib/api/client';

export type Body = Shape<'NewLink'>;

/** A link that is about to be made: an account or a published calendar, as it is typed in. */
export class NewLink {
  kind = $state<'account' | 'feed'>('account');
  address = $state('');
  username = $state('');
  password = $state('');
  busy = $state(false);
  problem = $state.raw<Problem>();
  /** Which host it is; 0 for another, nothing while nobody has said. */
  #picked = $state<number>();
  /** The one that serves the mail address, as long as nobody has said. */
  #guessed = $state<number>();
  readonly #hosts: () => Shape<'NamedHost'>[];
  readonly #send: (body: Body) => Promise<unknown>;

  /** A link to one of some hosts or to any other, made by `send`. */
  constructor(hosts: () => Shape<'NamedHost'>[], send: (body: Body) => Promise<unknown>) {
    this.#hosts = hosts;
    this.#send = send;
  }

  /** The host that is known by a name, if it is one. */
  get host(): Shape<'NamedHost'> | undefined {
    return this.#hosts().find((h) => h.id === (this.#picked ?? this.#guessed ?? this.#hosts()[0]?.id));
  }

  pick(id: number) {
    this.#picked = id;
    this.problem = undefined;
  }

  /** Whoever has a mail address that a host serves has their calendars there. */
  guess() {
    const domain = this.username.split('@')[1]?.trim().toLowerCase();
    this.#guessed = domain ? this.#hosts().find((h) => h.domains.includes(domain))?.id : undefined;
  }

  /** Where the search by the mail address has led, and of which nobody has said yet that it is right. */
  get leadsTo(): string {
    return this.problem?.host ?? '';
  }

  /** Makes the link at the host to which the search has led. */
  agree(): Promise<boolean> {
    return this.make(this.leadsTo);
  }

  /** Makes the link; says whether that went well. */
  async make(agreed?: string): Promise<boolean> {
    [this.busy, this.problem] = [true, undefined];
    const { kind, username, password } = this;
    try {
      const address = kind === 'account' ? (this.host?.address ?? this.address) : this.address;
      await this.#send(kind === 'feed' ? { kind, address } : { kind, address, username, password, agreed });
      return true;
    } catch (cause) {
      this.problem = problemOf(cause);
      return false;
    } finally {
      this.busy = false;
    }
  }

  /** What is wrong, where it is not wrong with a field. */
  get fault(): string {
    const { problem } = this;
    return problem && !problem.host && Object.keys(problem.fields).length === 0 ? problem.message : '';
  }
}
