// The hand over the view: who gets which pointer.
import type { Press, Tool } from './tool';
import type { Stage } from '../stage';

export class Hand {
  private has: { tool: Tool; pointer: number } | null = null;

  /** @param free whether the pointer turns the view when no tool has it */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly stage: Stage,
    private readonly tools: Tool[],
    private readonly free: () => boolean,
  ) {}

  private press(e: PointerEvent): Press {
    const r = this.canvas.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top, left: r.left, top: r.top, e };
  }

  down(e: PointerEvent) {
    const p = this.press(e);
    for (const tool of this.tools) {
      const claim = tool.down(p);
      if (claim === 'no') continue;
      if (claim === 'turn') return this.turn(e);
      if (claim === 'mine') {
        this.has = { tool, pointer: e.pointerId };
        this.capture(e.pointerId);
      }
      this.stage.controls.enabled = false;
      return;
    }
  }

  move(e: PointerEvent) {
    const p = this.press(e);
    this.has?.tool.move?.(p);
    for (const tool of this.tools) if (!this.has || tool === this.has.tool) tool.hover?.(p);
  }

  up(e: PointerEvent) {
    this.end(e, (tool, p) => tool.up?.(p));
  }

  lost(e: PointerEvent) {
    this.end(e, (tool, p) => (tool.lost ? tool.lost(p) : tool.up?.(p)));
  }

  private end(e: PointerEvent, say: (tool: Tool, p: Press) => void) {
    const p = this.press(e);
    for (const tool of this.tools) say(tool, p); // who does not have it knows so
    if (this.has?.pointer === e.pointerId) this.has = null;
    if (this.canvas.hasPointerCapture(e.pointerId)) this.canvas.releasePointerCapture(e.pointerId);
    this.stage.controls.enabled = this.free();
  }

  leave() {
    for (const tool of this.tools) tool.leave?.();
  }

  key(k: string): boolean {
    return this.tools.some((tool) => tool.key?.(k));
  }

  /** Keeps the pointer's events here; a played pen is none that could be kept. */
  private capture(id: number) {
    try {
      this.canvas.setPointerCapture(id);
    } catch {
      // not a pointer of the browser
    }
  }

  /** Lets a pointer that a tool did not want turn the view. */
  private turn(e: PointerEvent) {
    if (this.stage.controls.enabled || this.stage.mode === 'flat') return;
    this.stage.controls.enabled = true;
    if (this.canvas.hasPointerCapture(e.pointerId)) this.canvas.releasePointerCapture(e.pointerId);
    this.canvas.dispatchEvent(new PointerEvent('pointerdown', e));
  }
}
