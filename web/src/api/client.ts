// Typed calls to the service; the types come from its OpenAPI description.
import type { components } from './schema';

export type Project = components['schemas']['Project'];
export type About = components['schemas']['About'];
export type Facts = components['schemas']['Facts'];
export type Layer = components['schemas']['Layer'];
export type Coat = components['schemas']['Coat'];
export type Step = components['schemas']['Step'];
export type Doc = components['schemas']['Document'];
export type Order = components['schemas']['Order'];
export type PlannedFile = components['schemas']['File'];
export type Job = components['schemas']['Job'];
export type Param = components['schemas']['Param'];
export type StepKind = components['schemas']['Description'];
export type StoredPicture = components['schemas']['Picture'];
export type ChannelInfo = components['schemas']['ChannelInfo'];

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const form = body instanceof FormData || body instanceof Blob;
  const answer = await fetch(path, {
    method,
    body: body === undefined ? undefined : form ? (body as BodyInit) : JSON.stringify(body),
    headers: body === undefined || form ? undefined : { 'Content-Type': 'application/json' },
  });
  if (!answer.ok) {
    const detail = await answer.json().catch(() => ({}));
    throw new Error(detail.detail ?? `${method} ${path}: ${answer.status}`);
  }
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

const at = (id: string, rest = '') => `/api/projects/${id}${rest}`;

export const api = {
  about: () => call<About>('GET', '/api/about'),
  projects: () => call<Project[]>('GET', '/api/projects'),
  rename: (id: string, name: string) => call<void>('PATCH', at(id), { name }),
  remove: (id: string) => call<void>('DELETE', at(id)),
  restore: (id: string) => call<void>('POST', at(id, '/restore')),
  facts: (id: string) => call<Facts>('GET', at(id, '/facts')),
  picture: (id: string, png: Blob) => call<void>('PUT', at(id, '/picture'), png),
  pictures: (id: string) => call<StoredPicture[]>('GET', at(id, '/pictures')),
  addPicture: (id: string, f: File) =>
    call<StoredPicture>('POST', at(id, `/pictures?name=${encodeURIComponent(f.name)}`), f),
  plan: (id: string, order: Order) => call<PlannedFile[]>('POST', at(id, '/plan'), order),
  deliver: (id: string, order: Order) => call<Job>('POST', at(id, '/deliveries'), order),
  jobs: (id: string) => call<Job[]>('GET', at(id, '/jobs')),
  job: (id: string) => call<Job>('GET', `/api/jobs/${id}`),
  cancel: (id: string) => call<void>('DELETE', `/api/jobs/${id}`),
  create(files: FileList | File[]) {
    const form = new FormData();
    for (const f of files) form.append('files', f, f.name);
    return call<Project>('POST', '/api/projects', form);
  },
};
