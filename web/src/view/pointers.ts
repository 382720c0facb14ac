// Who owns the stroke under way. One pointer does what is done with a tool; what else
// touches the view meanwhile is sorted out here, by one rule:
//
// - While a pen draws, fingers and the palm are nothing.
// - A second finger beside a first one turns the view, and what the first one had begun is
//   dropped: it was the beginning of a turn, not a stroke. Each further finger is the view's.
// - A second pen or mouse while one is at work is nothing.
// - The pen's other end erases.
// - A pointer that is lifted keeps its stroke. One that the system takes away keeps what a
//   pen or a mouse drew, and drops what a finger did. Escape drops what is under way.

export interface Pointer {
  pointerId: number;
  pointerType: string;
  button: number;
  buttons: number;
}

export type Verdict = 'own' | 'view' | 'nothing';

const PEN_END = 32; // the bit of a pen's other end among the buttons

export class Owner {
  private id = -1;
  private type = '';
  private readonly fingers = new Set<number>();
  private turning = false;

  /** @param drop called when what the owner had begun is to be dropped */
  constructor(private readonly drop: () => void) {}

  get active() {
    return this.id >= 0;
  }

  /** A pointer is pressed: whether it owns what is done, moves the view, or is nothing. */
  down(e: Pointer): Verdict {
    const touch = e.pointerType === 'touch';
    if (touch) {
      if (this.active && this.type !== 'touch') return 'nothing';
      this.fingers.add(e.pointerId);
      if (this.fingers.size > 1) {
        if (this.active) {
          this.id = -1;
          this.drop();
        }
        this.turning = true;
        return 'view';
      }
    } else if (this.active) {
      if (this.type !== 'touch' || e.pointerType !== 'pen') return 'nothing';
      this.id = -1; // a palm that came before its pen
      this.fingers.clear();
      this.drop();
    }
    if (this.turning && touch) return 'view';
    this.id = e.pointerId;
    this.type = e.pointerType;
    return 'own';
  }

  /** Whether a pointer is the one that owns what is done. */
  owns(e: { pointerId: number }) {
    return e.pointerId === this.id;
  }

  /** A pointer is lifted: whether it was the owner, whose work is kept. */
  up(e: Pointer): boolean {
    this.fingers.delete(e.pointerId);
    if (!this.fingers.size) this.turning = false;
    if (!this.owns(e)) return false;
    this.id = -1;
    return true;
  }

  /** A pointer is taken away: 'keep' or 'drop' what it had begun, or it was not the owner. */
  lost(e: Pointer): 'keep' | 'drop' | 'nothing' {
    const type = this.type;
    if (!this.up(e)) return 'nothing';
    return type === 'touch' ? 'drop' : 'keep';
  }

  /** Escape: what is under way is dropped; false when there is nothing. */
  escape(): boolean {
    if (!this.active) return false;
    this.id = -1;
    this.fingers.clear();
    this.drop();
    return true;
  }
}

/** Whether the pen is turned over. */
export const otherEnd = (e: Pointer) => e.pointerType === 'pen' && (e.button === 5 || (e.buttons & PEN_END) !== 0);
