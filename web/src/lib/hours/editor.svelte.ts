import { untrack } from 'svelte';
import { on } from 'svelte/events';
import type { Shape } from '$lib/api/client';
import { Form, type How } from '$lib/api/form.svelte';
import { faultsOf } from './edit';
import { History } from './history.svelte';
import { draftPatterns, inForce, patternsOf, turnOf, type DraftPattern } from './patterns';
import { dayKeys, draftOf, minutesOfWeek, pieces, type DayKey, type DraftDay } from './week';

type Hours = Shape<'Hours'>;
type HoursNow = Shape<'HoursNow'>;

/**
 * Weekly hours as they are edited: patterns with their weeks, which of them is shown, what is
 * wrong with which day, and what can be undone. The markup draws it and calls it.
 */
export class HoursEditor {
  readonly form: Form<DraftPattern[], Hours, HoursNow>;
  readonly history = new History();
  /** Which pattern and which week of its cycle are shown. */
  at = $state(0);
  weekAt = $state(0);
  /** The axis as it was when a drag began, until it ends. */
  #held = $state<{ from: number; to: number }>();
  readonly #today: () => string;

  readonly drafts = $derived.by(() => this.form.value);
  readonly draft = $derived.by(() => this.drafts[this.at]);
  readonly week = $derived.by(() => this.draft?.weeks[this.weekAt] ?? draftOf());
  /** Which pattern is in force. */
  readonly present = $derived.by(() => inForce(this.drafts, this.#today()));
  /** Minutes of work in a week of the shown pattern. */
  readonly average = $derived.by(() => {
    const weeks = this.draft?.weeks;
    return weeks ? Math.round(weeks.reduce((sum, w) => sum + minutesOfWeek(w), 0) / weeks.length) : 0;
  });
  readonly axis = $derived.by(() => {
    if (this.#held) return this.#held;
    const all = dayKeys.flatMap((key) => pieces(this.week[key]));
    const start = Math.min(7 * 60, ...all.map((p) => p.start));
    const end = Math.max(20 * 60, ...all.map((p) => p.end));
    return { from: Math.max(0, Math.floor(start / 60) * 60 - 60), to: Math.ceil(end / 60) * 60 + 60 };
  });
  readonly marks = $derived.by(() => {
    const { from, to } = this.axis;
    const hours = Array.from(
      { length: Math.ceil((to - from) / 60) },
      (_, i) => Math.ceil(from / 60) * 60 + i * 60,
    );
    return hours
      .filter((at) => at < to)
      .map((at) => ({ at, label: String(Math.floor(at / 60) % 24).padStart(2, '0') }));
  });

  /** Hours that are read and saved through doors, on the dates of somebody's own clock. */
  constructor(doors: Pick<How<DraftPattern[], Hours, HoursNow>, 'read' | 'save'>, today: () => string) {
    this.#today = today;
    this.form = new Form(
      {
        ...doors,
        value: ({ patterns }) =>
          patterns.length ? draftPatterns(patterns) : [{ from: today(), until: '', weeks: [draftOf()] }],
        body: (drafts) => ({ patterns: patternsOf(drafts) }),
      },
      [],
    );
    $effect(() => {
      if (this.form.now) untrack(() => this.#show());
    });
  }

  /** Shows what the server says: after saving the same place, else the pattern in force, with nothing to be undone. */
  #show() {
    if (this.form.saved) return this.#stay();
    this.at = Math.max(0, inForce(this.form.value, this.#today()));
    const shown = this.form.value[this.at];
    this.weekAt = shown ? turnOf(shown, this.#today()) : 0;
    this.history.begin(JSON.stringify(this.form.value));
  }

  /** Keeps to what is there. */
  #stay() {
    this.at = Math.min(this.at, this.form.value.length - 1);
    this.weekAt = Math.min(this.weekAt, (this.form.value[this.at]?.weeks.length ?? 1) - 1);
  }

  /** Takes over what others have saved, unless something here is being dragged. */
  again() {
    if (!this.#held) void this.form.again();
  }

  pick(at: number) {
    [this.at, this.weekAt] = [at, 0];
  }

  /** Notes what has been done, so that it can be undone. A drag is one step. */
  note = () => {
    if (!this.#held) this.history.note(JSON.stringify(this.form.value));
  };

  /** Undoes a step, or does it again. */
  step(by: -1 | 1) {
    const state = this.history.step(by);
    if (state === undefined) return;
    this.form.value = JSON.parse(state) as DraftPattern[];
    this.#stay();
  }

  #press = (e: KeyboardEvent) => {
    const typing = e.target instanceof HTMLInputElement && e.target.type !== 'checkbox';
    if (!(e.ctrlKey || e.metaKey) || typing) return;
    const key = e.key.toLowerCase();
    if (key === 'z' || key === 'y') {
      e.preventDefault();
      this.step(key === 'y' || e.shiftKey ? 1 : -1);
    }
  };

  /** Notes every change that fields and buttons of a form make, and takes its keys. */
  watch = (form: HTMLElement) => {
    const ends = [
      on(form, 'change', this.note),
      on(form, 'click', () => queueMicrotask(this.note)),
      on(form, 'keydown', this.#press),
    ];
    return () => ends.forEach((end) => end());
  };

  change(key: DayKey, day: DraftDay) {
    this.week[key] = day;
    this.note();
  }

  /** While something is dragged, the axis stays. */
  hold(holding: boolean) {
    this.#held = holding ? this.axis : undefined;
    this.note();
  }

  copy(day: DayKey, to: DayKey[]) {
    for (const key of to) this.week[key] = $state.snapshot(this.week[day]);
    this.note();
  }

  addPattern() {
    const weeks = this.draft ? $state.snapshot(this.draft.weeks) : [draftOf()];
    this.form.value.push({ from: '', until: '', weeks });
    this.pick(this.form.value.length - 1);
  }

  removePattern() {
    this.form.value.splice(this.at, 1);
    this.pick(Math.max(0, this.at - 1));
  }

  addWeek() {
    this.draft?.weeks.push($state.snapshot(this.week));
    this.weekAt = (this.draft?.weeks.length ?? 1) - 1;
  }

  removeWeek() {
    this.draft?.weeks.splice(this.weekAt, 1);
    this.weekAt = Math.max(0, this.weekAt - 1);
  }

  /** What the server says is wrong with a field of the shown pattern. */
  fault(field: string): string | undefined {
    return this.form.problem?.fields[`patterns[${this.at}].${field}`];
  }

  /** What is wrong with a day: as the server says, and what can be told before it is asked. */
  faults(day: DayKey, kind: 'spans' | 'breaks'): Record<number, string> {
    const path = `patterns[${this.at}].cycle[${this.weekAt}].${day}.${kind}`;
    const refused = Object.entries(this.form.problem?.fields ?? {}).flatMap(([field, message]) => {
      const at = field.startsWith(path) ? /^\[(\d+)\]/.exec(field.slice(path.length)) : null;
      return at ? [[Number(at[1]), message]] : [];
    });
    return { ...Object.fromEntries(refused), ...faultsOf(this.week[day])[kind] };
  }
}
