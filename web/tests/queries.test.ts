import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, it } from 'node:test';

const web = join(__dirname, '..', '..', '..', 'web');
const files = (folder: string): string[] =>
  readdirSync(join(web, folder), { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? files(`${folder}/${entry.name}`) : [`${folder}/${entry.name}`],
  );
const text = (file: string) => readFileSync(join(web, file), 'utf8');

describe('the questions of the screens', () => {
  const sources = files('src').filter((f) => /\.tsx?$/.test(f) && !f.endsWith('schema.ts'));
  const queries = sources.filter((f) => f.endsWith('/queries.ts'));

  it('are asked by name: only a queries.ts makes one, and only useLook asks it', () => {
    assert.ok(queries.length > 8, queries.join(' '));
    for (const file of sources) {
      if (file.endsWith('/queries.ts') || file === 'src/api/client.ts') continue;
      assert.doesNotMatch(text(file), /\blook\(\s*\[|useQuery\(|queryOptions\(/, file);
    }
  });

  it('hear every topic that the server tells to screens', () => {
    const named = /\n        Topic: (.*);/.exec(text('src/api/schema.ts'))?.[1] ?? '';
    const topics = [...named.matchAll(/"(\w+)"/g)].map((m) => m[1]);
    assert.ok(topics.length > 12, named);
    const heard = queries.map(text).join('\n');
    for (const topic of topics.filter((t) => t !== 'everything' && t !== 'job'))
      assert.ok(heard.includes(`topic: '${topic}'`), `nothing hears ${topic}`);
  });
});
