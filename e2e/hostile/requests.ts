import { request } from 'node:http';

/** A request that no page of Hone's sends. */
export interface HostileRequest {
  readonly name: string;
  readonly method: string;
  /** As it is sent, without any tidying. */
  readonly path: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string | Buffer;
  /** The statuses that are right. */
  readonly expected: readonly number[];
}

export interface RawReply {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: Buffer;
}

/** Sends a request as it stands; fetch would tidy its path and refuse its headers. */
export function sendRaw(
  port: number,
  { method, path, headers = {}, body }: Omit<HostileRequest, 'name' | 'expected'>,
): Promise<RawReply> {
  return new Promise((resolve, reject) => {
    const length = body === undefined ? {} : { 'Content-Length': String(Buffer.byteLength(body)) };
    const host = `127.0.0.1:${port}`;
    const sent = request({
      host: '127.0.0.1',
      port,
      method,
      path,
      headers: { Host: host, ...length, ...headers },
      agent: false,
    });
    sent.on('response', (reply) => {
      const parts: Buffer[] = [];
      reply.on('data', (part: Buffer) => parts.push(part));
      reply.on('end', () =>
        resolve({ status: reply.statusCode ?? 0, headers: reply.headers, body: Buffer.concat(parts) }),
      );
      reply.on('error', reject);
    });
    sent.on('error', reject);
    sent.end(body);
  });
}

const json = { 'Content-Type': 'application/json' };

/**
 * Requests of other pages, of other programs and of nobody in particular.
 * @param ids of a project and of a source that are there
 */
export function hostileRequests(projectId: string, sourceId: string): HostileRequest[] {
  const requests: HostileRequest[] = [];
  const add = (
    name: string,
    method: string,
    path: string,
    expected: readonly number[],
    more: Partial<HostileRequest> = {},
  ): void => void requests.push({ name, method, path, expected, ...more });

  const ups = [
    '../',
    '..%2f',
    '%2e%2e/',
    '%2e%2e%2f',
    '..%5c',
    '....//',
    '%252e%252e%252f',
    '..%00/',
    '..;/',
  ];
  const roots = [
    '/',
    '/player/',
    '/media/sources/',
    '/media/copies/',
    '/media/exports/',
    '/media/strips/',
    '/media/fonts/',
    '/media/tables/',
    '/api/folders/',
    '/api/sources/',
  ];
  for (const root of roots)
    for (const up of ups)
      add(`traversal ${root}${up}`, 'GET', `${root}${up.repeat(6)}etc/passwd`, [400, 403, 404]);

  const foreign = ['http://evil.example', 'null', 'http://127.0.0.1:1', 'https://127.0.0.1', 'file://'];
  for (const origin of foreign) {
    add(`origin ${origin}`, 'GET', '/api/projects', [403], { headers: { Origin: origin } });
    add(`origin ${origin}, writing`, 'POST', '/api/projects', [403], {
      headers: { Origin: origin, ...json },
      body: '{"name":"x"}',
    });
  }
  for (const host of ['evil.example', '127.0.0.1', 'localhost:1', '[::1]:4310'])
    add(`host "${host}"`, 'GET', '/api/projects', [400, 403], { headers: { Host: host } });
  for (const site of ['cross-site', 'same-site'])
    add(`fetched from ${site}`, 'GET', '/api/projects', [403], { headers: { 'Sec-Fetch-Site': site } });

  for (const type of [
    'text/plain',
    'application/x-www-form-urlencoded',
    'multipart/form-data; boundary=x',
    'application/xml',
    'application/jsonp',
  ]) {
    add(`rig as ${type}`, 'PUT', '/api/rigs/own', [415], {
      headers: { 'Content-Type': type },
      body: '{"name":"junk"}',
    });
    add(`project as ${type}`, 'POST', '/api/projects', [415], {
      headers: { 'Content-Type': type },
      body: '{"name":"junk"}',
    });
  }
  add('rig without a type', 'PUT', '/api/rigs/own', [415], { body: '{"name":"junk"}' });
  add('rig without a body', 'PUT', '/api/rigs/own', [400], { headers: json });

  const bodies: Record<string, string> = {
    nothing: '',
    null: 'null',
    number: '5',
    text: '"x"',
    list: '[]',
    'cut off': '{"name":',
    'two values': '{}{}',
    prototype: '{"__proto__":{"isAdmin":true},"constructor":{"prototype":{"x":1}},"name":"x","more":1}',
    deep: `${'['.repeat(5000)}${']'.repeat(5000)}`,
    'deep objects': `${'{"a":'.repeat(5000)}1${'}'.repeat(5000)}`,
    'not UTF-8': '\ud800',
  };
  const routes: readonly [string, string][] = [
    ['POST', '/api/projects'],
    ['PUT', `/api/projects/${projectId}`],
    ['PUT', `/api/projects/${projectId}/tuning`],
    ['PUT', `/api/projects/${projectId}/filters`],
    ['PUT', '/api/simulation'],
    ['PUT', '/api/machine/settings'],
  ];
  for (const [method, path] of routes)
    for (const [what, body] of Object.entries(bodies)) {
      // An empty list of filters is a list of filters.
      const isFine = path.endsWith('/filters') && what === 'list';
      add(
        `${method} ${path.split('/').at(-1)!} with ${what}`,
        method,
        path,
        isFine ? [200] : [400, 413, 415],
        { headers: json, body },
      );
    }
  add('vast body', 'POST', '/api/projects', [413], {
    headers: json,
    body: `{"name":"${'x'.repeat(9_000_000)}"}`,
  });

  const unknown = '00000000-0000-4000-8000-000000000000';
  for (const path of [
    `projects/${unknown}`,
    `projects/${unknown}/sources`,
    `projects/${unknown}/copies`,
    `projects/${unknown}/jobs`,
    `projects/${unknown}/runs`,
    `projects/${unknown}/scrubs`,
    `projects/${unknown}/exports`,
    `projects/${unknown}/revisions`,
    `projects/${unknown}/revisions/1`,
    `runs/${unknown}/log`,
    `runs/${unknown}/samples`,
    `runs/${unknown}/report.csv`,
    `runs/${unknown}/report.json`,
    `sources/${unknown}/packets`,
    `sources/${unknown}/peaks`,
    `folders/${unknown}`,
  ])
    add(`unknown ${path.replace(unknown, 'id')}`, 'GET', `/api/${path}`, [404]);
  for (const path of [`copies/${unknown}`, `runs/${unknown}`, `rigs/${unknown}`, `projects/${unknown}`])
    add(`delete unknown ${path.split('/')[0]!}`, 'DELETE', `/api/${path}`, [404]);
  for (const path of ['sources', 'copies', 'sounds', 'strips', 'exports', 'tables', 'frames', 'fonts'])
    add(`unknown media ${path}`, 'GET', `/media/${path}/${unknown}`, [404]);
  add('unknown revision', 'GET', `/api/projects/${projectId}/revisions/1e300`, [404]);
  add('revision that is no number', 'GET', `/api/projects/${projectId}/revisions/abc`, [404]);
  add('rate of 24.5', 'POST', '/api/projects', [400], {
    headers: json,
    body: '{"name":"x","rate":24.5,"size":{"width":1,"height":1}}',
  });
  add('rate of null', 'POST', '/api/projects', [400], { headers: json, body: '{"name":"x","rate":null}' });
  add('half a rate', 'POST', '/api/projects', [400], {
    headers: json,
    body: '{"name":"x","rate":{"num":24}}',
  });
  add('rate over zero', 'POST', '/api/projects', [400], {
    headers: json,
    body: '{"name":"x","rate":{"num":24,"den":0}}',
  });

  for (const query of [
    '',
    '?from=0',
    '?from=-1&width=64&height=64',
    '?from=nan&width=64&height=64',
    '?from=0&width=1e9&height=1e9',
    '?from=0&width=64.5&height=64',
    '?from=0&width[]=64&height=64',
  ])
    add(`frames${query}`, 'GET', `/media/frames/${sourceId}${query}`, [400]);
  add(
    'frames from beyond the end',
    'GET',
    `/media/frames/${sourceId}?from=1e8&width=64&height=64`,
    [200, 400, 422],
  );
  for (const range of [
    'bytes=5-1',
    'bytes=99999999999-',
    'bytes=-0',
    'bytes=a-b',
    'lines=1-2',
    `bytes=${'0-1,'.repeat(500)}0-1`,
  ])
    add(`range ${range.slice(0, 20)}`, 'GET', `/media/sources/${sourceId}`, [200, 206, 416], {
      headers: { Range: range },
    });
  for (const method of ['TRACE', 'PATCH', 'OPTIONS', 'PROPFIND'])
    add(`${method} /api/projects`, method, '/api/projects', [200, 204, 400, 404, 405]);
  add('HEAD of the events', 'HEAD', '/api/events', [200]);
  add('table that is empty', 'POST', '/api/tables', [400], {
    headers: { 'Content-Type': 'text/plain' },
    body: '',
  });
  add('table that is vast', 'POST', '/api/tables', [400], {
    headers: { 'Content-Type': 'text/plain' },
    body: 'LUT_3D_SIZE 100000\n0 0 0\n',
  });
  add('upload of a page', 'POST', `/api/projects/${projectId}/uploads?name=page.html`, [415], {
    headers: { 'Content-Type': 'application/octet-stream' },
    body: '<script>',
  });
  add('upload of a drawing', 'POST', `/api/projects/${projectId}/uploads?name=a.svg`, [415], {
    headers: { 'Content-Type': 'application/octet-stream' },
    body: '<svg/>',
  });
  add('upload without a name', 'POST', `/api/projects/${projectId}/uploads`, [400], {
    headers: { 'Content-Type': 'application/octet-stream' },
    body: 'x',
  });
  add('upload of two names', 'POST', `/api/projects/${projectId}/uploads?name=a.mp4&name=b.mp4`, [400], {
    headers: { 'Content-Type': 'application/octet-stream' },
    body: 'x',
  });
  add('nothing there', 'GET', '/api/nothing', [404]);
  return requests;
}
