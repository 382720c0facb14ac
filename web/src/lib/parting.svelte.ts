// Projects that were left while changes of theirs were not kept yet: their lines go on until
// they are.
class Parting {
  /** changes of projects that were left, not kept yet */
  unkept = $state(0);
  /** why one of them could not be kept; '' while all could */
  lost = $state('');
  private readonly of = new Map<object, number>();

  /** @param n how many changes of a line are left to be kept; 0: it has ended */
  note(line: object, n: number) {
    if (n) this.of.set(line, n);
    else this.of.delete(line);
    this.unkept = [...this.of.values()].reduce((a, b) => a + b, 0);
  }
}

export const parting = new Parting();
