// The line to the server: what is said over it is kept until the server has answered, and
// is said again when the line was cut. What changes the project carries an id that the
// server does but once. It knows nothing of the page, so that it can be tried by itself.

/** What the line goes over: a socket, or a stand-in for one. */
export interface Wire {
  send(text: string): void;
  close(): void;
}

/** What a wire tells. */
export interface Ends {
  opened(): void;
  closed(): void;
}

export interface Message {
  t: string;
  id?: number;
  [more: string]: unknown;
}

/** Something that was said and not answered yet. */
interface Unanswered {
  id: number;
  /** the messages it consists of; of a stroke its begin, its points so far, and its end */
  said: Message[];
  /** it changes the project: it must not be lost */
  change: boolean;
  /** a stroke that is being drawn */
  grows: boolean;
  /** how often the server did not know whether it is kept, or could not keep it */
  doubts: number;
  answered?: (m: Message) => void;
  refused?: (why: string) => void;
}

const RECONNECT = 800; // milliseconds after which a cut line is taken up again
const AGAIN = 2000; // after which a change is sent again of which the server does not know whether it is kept
const SILENT = 15_000; // after which a line that does not answer is taken to be dead

export class Line {
  online = false;
  /** called when the line opens or is cut, and when something is kept or waits to be */
  onState: () => void = () => {};
  /** a message from the server that is no answer */
  onMessage: (m: Message) => void = () => {};
  /** a change is sent again and again, since the server cannot keep it for now, and why */
  onDoubt: (why: string) => void = () => {};
  /** what a new line is told first: what the page looks at */
  greeting: () => Message[] = () => [];
  /** the line is cut: whether it is to be taken up again */
  again: () => boolean | Promise<boolean> = () => true;

  private wire: Wire | null = null;
  private readonly unanswered = new Map<number, Unanswered>();
  private last = 0;
  private closed = false;
  /** who waits until some changes are kept */
  private waiting: { changes: number[]; done: () => void }[] = [];
  private timers = new Set<ReturnType<typeof setTimeout>>();

  /** @param connect makes a wire that tells ends what becomes of it; newID names changes */
  constructor(
    private readonly connect: (ends: Ends) => Wire,
    private readonly newID: () => string,
  ) {}

  /** Changes that are not kept yet, drawn strokes among them. */
  get unkept(): number {
    let n = 0;
    for (const u of this.unanswered.values()) if (u.change) n++;
    return n;
  }

  /** Ends when all that was changed until now is kept, or refused; a stroke that grows is not waited for. */
  kept(): Promise<void> {
    const changes = [...this.unanswered.values()].filter((u) => u.change && !u.grows).map((u) => u.id);
    return new Promise((done) => {
      this.waiting.push({ changes, done });
      this.release();
    });
  }

  private release() {
    const waits = (w: { changes: number[] }) => !this.closed && w.changes.some((id) => this.unanswered.has(id));
    const done = this.waiting.filter((w) => !waits(w));
    this.waiting = this.waiting.filter(waits);
    for (const w of done) w.done();
  }

  open() {
    if (this.closed) return;
    const wire: { is: Wire | null } = { is: null };
    const mine = () => wire.is === null || wire.is === this.wire;
    wire.is = this.wire = this.connect({
      opened: () => {
        if (!mine() || this.closed) return;
        this.online = true;
        for (const m of this.greeting()) this.post(m);
        for (const u of this.unanswered.values()) this.say(u);
        this.onState();
      },
      closed: () => {
        if (!mine()) return; // an older line, heard of late
        const was = this.online;
        this.online = false;
        this.wire = null;
        if (was) this.onState();
        this.later(RECONNECT, async () => {
          if (!this.closed && !this.wire && (await this.again()) && !this.closed && !this.wire) this.open();
        });
      },
    });
  }

  /** Ends the line for good. */
  close() {
    this.closed = true;
    for (const t of this.timers) clearTimeout(t);
    this.timers.clear();
    this.wire?.close();
    this.wire = null;
    this.online = false;
    this.release();
  }

  /** Ends the line as soon as all is kept; a stroke that grows is kept as far as it is drawn.
   * @param left is told how many changes are to be kept still, and why one of them cannot be */
  leave(left: (n: number, lost: string) => void) {
    for (const u of [...this.unanswered.values()]) {
      if (u.grows) this.end(u.id);
      else if (!u.change) this.unanswered.delete(u.id); // nobody waits for the answer
    }
    const end = (lost = '') => {
      this.onState = () => {};
      this.close();
      left(0, lost);
    };
    const again = this.again;
    this.again = async () => {
      if (await again()) return true;
      end('the project is not there any more');
      return false;
    };
    this.onMessage = (m) => m.t === 'error' && left(this.unkept, String(m.message));
    this.onState = () => (this.unkept ? left(this.unkept, '') : end());
    this.onState();
  }

  /** Takes the line up anew. */
  renew() {
    this.wire?.close();
  }

  /** Says something that needs no answer, and that may be lost with the line. */
  tell(m: Message) {
    if (this.online) this.post(m);
  }

  /** Asks something. */
  ask(m: Message, answered: (m: Message) => void, refused?: (why: string) => void): number {
    return this.keep({ said: [m], change: false, grows: false, answered, refused });
  }

  /** Makes a change. */
  change(m: Message, kept?: () => void, refused?: (why: string) => void): number {
    return this.keep({ said: [{ ...m, request: this.newID() }], change: true, grows: false, answered: kept, refused });
  }

  /** Begins a stroke, which is told as it grows; its id is its change's. */
  begin(m: Message, stroke: string, refused?: (why: string) => void): number {
    return this.keep({ said: [{ ...m, request: stroke }], change: true, grows: true, refused });
  }

  /** Adds to a stroke that was begun; a refused one does not grow. */
  grow(id: number, message: () => Message) {
    const u = this.unanswered.get(id);
    if (!u?.grows) return;
    const m = message();
    u.said.push(m);
    this.tell(m);
  }

  /** Ends a stroke: it is kept. */
  end(id: number) {
    const u = this.unanswered.get(id);
    if (!u?.grows) return;
    u.grows = false;
    const m = { t: 'stroke.end', id, request: u.said[0].request };
    u.said.push(m);
    this.tell(m);
    this.watch(u);
    this.onState();
  }

  /** Drops a stroke that was begun. */
  cancel(id: number) {
    const u = this.unanswered.get(id);
    if (!u?.grows) return;
    this.unanswered.delete(id);
    this.tell({ t: 'stroke.cancel' });
    this.onState();
  }

  /** Takes what the server says. */
  hear(m: Message) {
    const u = m.id ? this.unanswered.get(m.id) : undefined;
    if (m.id && !u) return; // the answer to something that was answered before, or given up
    if (!u) return this.onMessage(m);
    if (m.t === 'error' && m.again) {
      if (u.doubts++) this.onDoubt(String(m.message));
      this.later(AGAIN, () => this.unanswered.has(u.id) && this.online && this.say(u));
      return;
    }
    this.unanswered.delete(u.id);
    if (m.t === 'error') {
      u.refused?.(String(m.message));
      this.onMessage(m);
    } else if (m.t !== 'ack' || u.change) u.answered?.(m);
    this.release();
    this.onState();
  }

  private keep(u: Omit<Unanswered, 'id' | 'doubts'>): number {
    const id = ++this.last;
    const all = { ...u, id, doubts: 0 };
    if (!u.grows) all.said = all.said.map((m) => ({ ...m, id }));
    this.unanswered.set(id, all);
    if (this.online) this.say(all);
    if (!u.grows) this.watch(all);
    this.onState();
    return id;
  }

  /** Says something whole; of a stroke all that there is of it, its points at once. */
  private say(u: Unanswered) {
    const adds = u.said.filter((m) => m.t === 'stroke.add');
    if (adds.length > 1) {
      const all = (key: string) =>
        adds.every((m) => Array.isArray(m[key])) ? adds.flatMap((m) => m[key] as number[]) : undefined;
      const held = { tilt: all('tilt'), lean: all('lean'), twist: all('twist') };
      const one: Message = { t: 'stroke.add', points: all('points'), ...held };
      u.said = [u.said[0], one, ...u.said.filter((m, i) => i > 0 && m.t !== 'stroke.add')];
    }
    for (const m of u.said) this.post(m);
  }

  private post(m: Message) {
    this.wire?.send(JSON.stringify(m));
  }

  /** A line that leaves something unanswered for long is dead, though nobody said so. */
  private watch(u: Unanswered) {
    this.later(SILENT, () => {
      if (!this.unanswered.has(u.id)) return;
      if (this.online) this.renew();
      this.watch(u);
    });
  }

  private later(ms: number, f: () => unknown) {
    const t = setTimeout(() => {
      this.timers.delete(t);
      void f();
    }, ms);
    this.timers.add(t);
  }
}
