// Debian's browser without windows of its own, or the whole one where only that is there.
import { existsSync } from 'node:fs';

const shell = '/usr/bin/chromium-headless-shell';
export const browser = process.env.CHROMIUM ?? (existsSync(shell) ? shell : '/usr/bin/chromium');
