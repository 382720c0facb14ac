// The page's line to the server, and who owns a pointer, by themselves: without a server
// and without a page. The lines here lose, repeat, delay and cut.
import { expect, test } from '@playwright/test';
import { changesOver, kept } from '../web/src/lib/kept';
import { Line, type Ends, type Message } from '../web/src/lib/line';
import { Owner, otherEnd } from '../web/src/view/pointers';

/** A server that keeps what it hears, over a line that can be told to misbehave. */
class Server {
  ends: Ends | null = null;
  line!: Line;
  /** what is kept, by request; a stroke with its points */
  kept = new Map<string, Message>();
  order: string[] = [];
  heard: Message[] = [];
  /** does something with a message instead of hearing it */
  deaf: (m: Message) => boolean = () => false;
  /** keeps the answer back */
  mute: (m: Message) => boolean = () => false;
  /** says answers more than once */
  repeats = false;
  private stroke: Message | null = null;
  private points: number[] = [];

  connect = (ends: Ends) => {
    this.ends = ends;
    this.stroke = null;
    return {
      send: (text: string) => this.ends === ends && this.hear(JSON.parse(text)),
      close: () => this.cut(),
    };
  };

  open() {
    this.ends!.opened();
  }

  cut() {
    const e = this.ends;
    this.ends = null;
    e?.closed();
  }

  private answer(m: Message) {
    if (this.mute(m)) return;
    this.line.hear(m);
    if (this.repeats) this.line.hear(m);
  }

  private hear(m: Message) {
    if (this.deaf(m)) return;
    this.heard.push(m);
    const keep = (what: Message) => {
      const id = String(m.request);
      if (!this.kept.has(id)) this.order.push(id);
      if (!this.kept.has(id)) this.kept.set(id, what);
      this.answer({ t: 'ack', id: m.id });
    };
    if (m.t === 'stroke.begin') [this.stroke, this.points] = [m, []];
    else if (m.t === 'stroke.add') this.points.push(...(m.points as number[]));
    else if (m.t === 'stroke.cancel') this.stroke = null;
    else if (m.t === 'stroke.end') keep({ ...this.stroke!, points: this.points });
    else if (m.t === 'pick') this.answer({ t: 'picked', id: m.id, at: m.at });
    else if (m.t === 'op') keep(m);
  }
}

function pair() {
  const server = new Server();
  let n = 0;
  const line = new Line(server.connect, () => `request ${++n}`);
  server.line = line;
  line.open();
  return { server, line };
}

const later = (ms: number) => new Promise((r) => setTimeout(r, ms));
const again = () => later(900); // longer than a cut line waits

test('what is done while the line is cut is done when it is back, in its order', async () => {
  const { server, line } = pair();
  line.change({ t: 'op', what: 'before there is a line' });
  expect(line.unkept).toBe(1);
  server.open();
  expect(line.unkept).toBe(0);
  server.cut();
  line.change({ t: 'op', what: 'a' });
  line.change({ t: 'op', what: 'b' });
  expect(line.unkept).toBe(2);
  await again();
  server.open();
  expect(line.unkept).toBe(0);
  expect(server.order.map((r) => server.kept.get(r)!.what)).toEqual(['before there is a line', 'a', 'b']);
  line.close();
});

test('a change whose answer is lost is sent again and done once', async () => {
  const { server, line } = pair();
  server.open();
  server.mute = () => true;
  let kept = 0;
  line.change({ t: 'op', what: 'a' }, () => kept++);
  expect([server.kept.size, line.unkept, kept]).toEqual([1, 1, 0]);
  server.mute = () => false;
  server.cut();
  await again();
  server.open();
  expect([server.kept.size, line.unkept, kept]).toEqual([1, 0, 1]);
  expect(server.heard.filter((m) => m.t === 'op').length).toBe(2);
  expect(new Set(server.heard.map((m) => m.request)).size).toBe(1);
  line.close();
});

test('a project that is left is kept before its line ends, a growing stroke as far as it is drawn', async () => {
  const { server, line } = pair();
  server.open();
  server.cut();
  line.change({ t: 'op', what: 'a' });
  const stroke = line.begin({ t: 'stroke.begin', stroke: { id: 's' } }, 's');
  line.grow(stroke, () => ({ t: 'stroke.add', points: [1, 2, 3], tilt: [4] }));
  line.ask({ t: 'pick', at: 1 }, () => expect('an answer').toBe('given up'));
  const left: [number, string][] = [];
  line.leave((n, lost) => left.push([n, lost]));
  expect(left).toEqual([[2, '']]);
  await again();
  server.open();
  expect(left.at(-1)).toEqual([0, '']);
  expect([server.kept.size, line.online, line.unkept]).toEqual([2, false, 0]);
  expect(server.heard.some((m) => m.t === 'pick')).toBe(false);
});

test('a project that is left and gone says what is lost; one where all is kept ends at once', async () => {
  for (const gone of [true, false]) {
    const { server, line } = pair();
    server.open();
    if (gone) server.cut();
    if (gone) line.change({ t: 'op', what: 'a' });
    line.again = () => !gone;
    const left: [number, string][] = [];
    line.leave((n, lost) => left.push([n, lost]));
    if (gone) await again();
    expect(left.at(-1)).toEqual([0, gone ? 'the project is not there any more' : '']);
    expect([server.kept.size, line.online]).toEqual([0, false]);
  }
});

test('a server in doubt is asked again', async () => {
  const { server, line } = pair();
  server.open();
  server.deaf = (m) => {
    server.deaf = () => false;
    line.hear({ t: 'error', id: m.id, message: 'the database does not answer', again: true });
    return true;
  };
  const said: string[] = [];
  line.onMessage = (m) => said.push(String(m.message));
  line.change({ t: 'op', what: 'a' });
  expect(line.unkept).toBe(1);
  await later(2200);
  expect([server.kept.size, line.unkept, said.length]).toEqual([1, 0, 0]);
  line.close();
});

test('a stroke is whole, wherever the line is cut in it', async () => {
  for (const cutAt of [0, 1, 2, 3, 4]) {
    const { server, line } = pair();
    server.open();
    const stroke = line.begin({ t: 'stroke.begin', stroke: { id: 's' } }, 's');
    for (let i = 0; i < 4; i++) {
      if (i === cutAt) server.cut();
      line.grow(stroke, () => ({ t: 'stroke.add', points: [i, i, i], tilt: [i] }));
    }
    if (cutAt === 4) server.cut();
    if (cutAt % 2) {
      await again();
      server.open();
    }
    line.end(stroke);
    expect(line.unkept).toBe(cutAt % 2 ? 0 : 1);
    if (!(cutAt % 2)) {
      await again();
      server.open();
    }
    expect(line.unkept).toBe(0);
    expect(server.kept.get('s')!.points).toEqual([0, 0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3]);
    line.close();
  }
});

test('a stroke that is dropped is not kept, and one that is refused says so once', async () => {
  const { server, line } = pair();
  server.open();
  const dropped = line.begin({ t: 'stroke.begin', stroke: {} }, 'dropped');
  line.grow(dropped, () => ({ t: 'stroke.add', points: [1, 2, 3] }));
  line.cancel(dropped);
  line.grow(dropped, () => {
    throw new Error('what does not grow is not counted either');
  });
  line.end(dropped);
  expect([server.kept.size, line.unkept]).toEqual([0, 0]);
  const said: string[] = [];
  line.onMessage = (m) => said.push(String(m.message));
  line.change({ t: 'op' }, undefined, (why) => said.push(`refused: ${why}`));
  const id = line.change({ t: 'nothing' }, undefined, (why) => said.push(`refused: ${why}`));
  line.hear({ t: 'error', id, message: 'no' });
  line.hear({ t: 'error', id, message: 'no' });
  expect(said).toEqual(['refused: no', 'no']);
  expect(line.unkept).toBe(0);
  line.close();
});

test('each question gets its own answer, once, in whatever order they come', () => {
  const { server, line } = pair();
  server.open();
  const held: Message[] = [];
  server.mute = (m) => !!held.push(m);
  const got: string[] = [];
  line.ask({ t: 'pick', at: 'first' }, (m) => got.push(`first: ${m.at}`));
  line.ask({ t: 'pick', at: 'second' }, (m) => got.push(`second: ${m.at}`));
  for (const m of held.reverse()) {
    line.hear(m);
    line.hear(m);
    line.hear({ t: 'ack', id: m.id });
  }
  expect(got).toEqual(['second: second', 'first: first']);
  line.close();
});

test('over a line that loses, repeats and cuts at random everything is done once', async () => {
  let seed = 7;
  const chance = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
  const { server, line } = pair();
  server.open();
  server.repeats = true;
  const sent: number[] = [];
  for (let round = 0; round < 6; round++) {
    server.mute = () => chance() < 0.3;
    server.deaf = () => chance() < 0.2;
    for (let i = 0; i < 5; i++) {
      const what = round * 5 + i;
      sent.push(what);
      line.change({ t: 'op', what });
    }
    if (server.ends) server.cut();
    await later(830);
    if (server.ends) server.open();
  }
  server.mute = server.deaf = () => false;
  server.cut();
  await again();
  server.open();
  expect(line.unkept).toBe(0);
  const kept = [...server.kept.values()].map((m) => m.what as number).sort((a, b) => a - b);
  expect(kept).toEqual(sent);
  line.close();
});

test('an older line, heard of late, changes nothing', async () => {
  const { server, line } = pair();
  const first = server.ends!;
  server.open();
  server.cut();
  await again();
  server.open();
  expect(line.online).toBe(true);
  first.closed();
  first.opened();
  expect(line.online).toBe(true);
  line.close();
});

test('a line that is not to be taken up again is not', async () => {
  const { server, line } = pair();
  server.open();
  line.again = () => false;
  server.cut();
  await again();
  expect(server.ends).toBe(null);
  expect(line.online).toBe(false);
  line.close();
});

test('who needs what was done waits until it is kept, not for what is done later', async () => {
  const { server, line } = pair();
  server.open();
  const ended: string[] = [];
  const stop = changesOver('p', line);
  await kept('p'); // nothing was done
  server.mute = () => true;
  line.change({ t: 'op', what: 1 });
  const stroke = line.begin({ t: 'stroke.begin' }, 's'); // grows: it is not waited for
  void kept('p').then(() => ended.push('first'));
  void kept('other').then(() => ended.push('other'));
  await later(20);
  expect(ended).toEqual(['other']);
  await expect(kept('p', 30)).rejects.toThrow(/not kept yet/);
  server.mute = () => false;
  server.cut();
  await again();
  server.open();
  await later(20);
  expect(ended).toEqual(['other', 'first']);
  // what is refused is not waited for either, nor what a closed line has lost
  server.mute = () => true;
  line.end(stroke);
  line.change({ t: 'op', what: 2 });
  const both = kept('p');
  line.close();
  await both;
  stop();
  await kept('p');
});

test('one pointer owns what is done; the others are the view or nothing', () => {
  const at = (pointerId: number, pointerType: string, button = 0, buttons = 1) => ({ pointerId, pointerType, button, buttons });
  let dropped = 0;
  const owner = new Owner(() => dropped++);
  // a palm beside a pen is nothing
  expect(owner.down(at(1, 'pen'))).toBe('own');
  expect(owner.down(at(2, 'touch'))).toBe('nothing');
  expect(owner.down(at(3, 'mouse'))).toBe('nothing');
  expect([owner.owns({ pointerId: 1 }), owner.owns({ pointerId: 2 })]).toEqual([true, false]);
  expect(owner.up(at(2, 'touch'))).toBe(false);
  expect([owner.active, owner.up(at(1, 'pen')), owner.active]).toEqual([true, true, false]);
  // a palm that came before its pen gives way
  expect(owner.down(at(4, 'touch'))).toBe('own');
  expect(owner.down(at(5, 'pen'))).toBe('own');
  expect([dropped, owner.owns({ pointerId: 5 })]).toEqual([1, true]);
  owner.up(at(5, 'pen'));
  // two fingers are the view's, until both are lifted
  expect(owner.down(at(6, 'touch'))).toBe('own');
  expect(owner.down(at(7, 'touch'))).toBe('view');
  expect([dropped, owner.active]).toEqual([2, false]);
  owner.up(at(6, 'touch'));
  expect(owner.down(at(8, 'touch'))).toBe('view');
  owner.up(at(7, 'touch'));
  owner.up(at(8, 'touch'));
  expect(owner.down(at(9, 'touch'))).toBe('own');
  // taken away: a finger's work is dropped, a pen's is kept
  expect(owner.lost(at(9, 'touch'))).toBe('drop');
  owner.down(at(10, 'pen'));
  expect([owner.lost(at(11, 'touch')), owner.lost(at(10, 'pen'))]).toEqual(['nothing', 'keep']);
  owner.down(at(12, 'mouse'));
  expect([owner.escape(), owner.escape(), dropped]).toEqual([true, false, 3]);
  expect([otherEnd(at(1, 'pen', 5, 32)), otherEnd(at(1, 'pen')), otherEnd(at(1, 'mouse', 5, 32))]).toEqual([true, false, false]);
});
