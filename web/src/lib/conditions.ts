// The project's one set of facts that all agents read.
import type { Conditions } from '../api/client';
import type { Op, Session } from './session.svelte';

export const conditionsOf = (s: Session): Conditions => s.doc?.conditions ?? s.about.conditions!;

export const conditionsOp = (s: Session, change: Partial<Conditions>, label: string): Op => ({
  kind: 'conditions.set',
  value: { ...conditionsOf(s), ...change },
  label,
});
