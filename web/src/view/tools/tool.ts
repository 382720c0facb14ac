// What a tool of the view is: it takes a press of the pointer, and has the pointer until that
// is lifted.
import type { Session } from '../../lib/session.svelte';
import type { UI } from '../../lib/ui.svelte';
import type { Stage } from '../stage';

/** What tools work on. */
export interface Bench {
  stage: Stage;
  session: Session;
  ui: UI;
}

/** A pointer over the canvas: its place in pixels from the corner, which lies at left, top on
 * the page. */
export interface Press {
  x: number;
  y: number;
  left: number;
  top: number;
  e: PointerEvent;
}

/** What becomes of a press: the tool has it; it turns the view; it is spent; or it is the next tool's. */
export type Claim = 'mine' | 'turn' | 'spent' | 'no';

export interface Tool {
  down(p: Press): Claim;
  /** While this tool has a pointer, one moves: that, or another one beside it. */
  move?(p: Press): void;
  /** A pointer that nobody has, or this tool, moves over the view. */
  hover?(p: Press): void;
  /** A pointer is lifted, be it that of this tool or another one. */
  up?(p: Press): void;
  /** The system took a pointer away; without this it counts as lifted. */
  lost?(p: Press): void;
  /** No pointer is over the view. */
  leave?(): void;
  /** A key, in lower case; true: it was this tool's. */
  key?(k: string): boolean;
}

/** Whether a press is the hand's own: the main button, and not with Alt, which turns the view. */
export const main = (p: Press) => p.e.button === 0 && !p.e.altKey;
