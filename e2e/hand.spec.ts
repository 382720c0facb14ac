// Who gets which pointer over the view: tried with stand-ins for the canvas and the tools.
import { expect, test } from '@playwright/test';
import { Hand } from '../web/src/view/tools/hand';
import type { Claim, Press, Tool } from '../web/src/view/tools/tool';

function bench(claims: Claim[]) {
  const said: string[] = [];
  const captured = new Set<number>();
  const sent: string[] = [];
  const canvas = {
    getBoundingClientRect: () => ({ left: 100, top: 50 }),
    setPointerCapture: (id: number) => captured.add(id),
    hasPointerCapture: (id: number) => captured.has(id),
    releasePointerCapture: (id: number) => captured.delete(id),
    dispatchEvent: (e: { type: string }) => sent.push(e.type),
  } as unknown as HTMLCanvasElement;
  const tools = claims.map((claim, i): Tool => {
    const tell = (what: string) => (p: Press) => void said.push(`${i} ${what} ${p.e.pointerId} ${p.x},${p.y}`);
    return {
      down: () => claim,
      move: tell('move'),
      hover: tell('hover'),
      up: tell('up'),
      key: (k) => (said.push(`${i} key ${k}`), i === 1),
    };
  });
  const stage = { controls: { enabled: true }, mode: 'model' };
  const hand = new Hand(canvas, stage as never, tools, () => true);
  const at = (pointerId: number, x = 110, y = 70) => ({ pointerId, clientX: x, clientY: y }) as PointerEvent;
  const take = () => said.splice(0);
  return { hand, at, take, captured, sent, stage };
}

test('the first tool that wants a press has its pointer, in pixels of the canvas', () => {
  const { hand, at, take, captured, stage } = bench(['no', 'mine', 'mine']);
  hand.move(at(1));
  expect(take()).toEqual(['0 hover 1 10,20', '1 hover 1 10,20', '2 hover 1 10,20']);
  hand.down(at(1));
  expect(captured.has(1)).toBe(true);
  expect(stage.controls.enabled).toBe(false);
  hand.move(at(1, 120, 70));
  expect(take()).toEqual(['1 move 1 20,20', '1 hover 1 20,20']);
  hand.up(at(1));
  expect(captured.size).toBe(0);
  expect(stage.controls.enabled).toBe(true);
});

test('another pointer that is lifted does not end what the first one does', () => {
  const { hand, at, take } = bench(['mine']);
  hand.down(at(1));
  hand.up(at(7)); // a palm
  take();
  hand.move(at(1));
  expect(take()).toEqual(['0 move 1 10,20', '0 hover 1 10,20']);
  hand.lost(at(1));
  take();
  hand.move(at(1));
  expect(take()).toEqual(['0 hover 1 10,20']);
});

test('a press that is spent is nobody’s; one that turns goes back to the view', () => {
  const spent = bench(['spent', 'mine']);
  spent.hand.down(spent.at(1));
  expect(spent.stage.controls.enabled).toBe(false);
  expect(spent.captured.size).toBe(0);
  spent.hand.move(spent.at(1));
  expect(spent.take()).toContain('1 hover 1 10,20');

  (globalThis as { PointerEvent?: unknown }).PointerEvent ??= class {
    constructor(readonly type: string) {}
  };
  const turn = bench(['turn', 'mine']);
  turn.stage.controls.enabled = false;
  turn.hand.down(turn.at(1));
  expect(turn.stage.controls.enabled).toBe(true);
  expect(turn.sent).toEqual(['pointerdown']);
  turn.hand.down(turn.at(1)); // the view has it already
  expect(turn.sent).toEqual(['pointerdown']);
});

test('a key goes to the first tool that knows it', () => {
  const { hand, take } = bench(['no', 'no', 'no']);
  expect(hand.key('escape')).toBe(true);
  expect(take()).toEqual(['0 key escape', '1 key escape']);
});
