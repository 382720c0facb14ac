// A line-up: alternatives of the object beside each other, of which one is taken.
import type { DeliveryNote, Layer } from '../api/client';
import { clearOn } from './stack';
import type { Op, Session } from './session.svelte';

/** What one picture of a line-up shows: the document with a change, as it was after an entry
 * of the ledger, or (neither) as it is. */
export interface Alternative {
  label: string;
  op?: Op;
  seq?: number;
  /** files that were written, opened again */
  delivered?: DeliveryNote;
  /** called when it was taken */
  taken?: () => void;
}

/** How far a picture of a line-up is that is opened from files. */
export class Opening {
  settled = $state(false);
  message = $state('');
}

export const MOST = 6;

/** How two alternatives are compared: beside each other, divided by a line, or as their difference. */
export type Compared = 'beside' | 'divided' | 'amplified';

export class LineUp {
  readonly list: Alternative[];
  /** how they are shown; two alone can be other than beside each other */
  way = $state<Compared>('beside');
  /** where the line is, as a share of the width */
  at = $state(0.5);
  /** by how much the difference is multiplied */
  times = $state(8);

  constructor(
    /** what is compared */
    readonly title: string,
    list: Alternative[],
    way: Compared = 'beside',
  ) {
    this.way = list.length === 2 ? way : 'beside';
    this.list = list.slice(0, MOST);
  }

  /** one of them can be taken: none of what was delivered */
  get takes() {
    return !this.list.some((a) => a.delivered);
  }

  /** Makes an alternative the document's state. */
  take(a: Alternative, session: Session) {
    if (a.op) session.op(a.op);
    else if (a.seq !== undefined) session.change({ t: 'jump', seq: a.seq });
    a.taken?.();
  }
}

/** Whether a change brings layers through which something of a sheet is seen. */
export function clears(op: Op | undefined, sheet: string, parts: string[]): boolean {
  if (!op) return false;
  if (op.kind === 'batch') return ((op.ops ?? []) as Op[]).some((o) => clears(o, sheet, parts));
  return op.kind === 'layer.add' && clearOn([op.layer as unknown as Layer], sheet, parts);
}

/** Makes a line-up of the values of a number: what is compared, its present value, the values,
 * what sets one, and how it is written. Null: a value is no part of the object. */
export type Compare = (
  title: string,
  now: number,
  values: number[],
  commit: (v: number) => void,
  says: (v: number) => string,
) => LineUp | null;

export const comparer =
  (session: Session): Compare =>
  (title, now, values, commit, says) => {
    // of what is no change of the document but the present value is tried, which changes nothing
    if (!session.wouldBe(() => commit(now))) return null;
    const list = values.map((v) => ({ label: says(v), op: session.wouldBe(() => commit(v)) ?? undefined }));
    return list.every((a) => a.op) ? new LineUp(title, list) : null;
  };

/** Values of a number to compare: as many as a line-up has places, over its range, the present
 * one among them. */
export function spread(now: number, min: number, max: number, { whole = false, log = false, n = MOST } = {}): number[] {
  const geometric = log && min > 0;
  const at = (t: number) => (geometric ? min * (max / min) ** t : min + (max - min) * t);
  const all = Array.from({ length: n }, (_, i) => at(i / (n - 1))).map((v) => (whole ? Math.round(v) : v));
  const far = (v: number) => Math.abs(geometric ? Math.log(v / now) : v - now);
  const nearest = all.reduce((best, v, i) => (far(v) < far(all[best]) ? i : best), 0);
  all[nearest] = now;
  return [...new Set(all)];
}
