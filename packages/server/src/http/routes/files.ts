import type { Files } from '../../files/files.js';
import { PICTURES } from '../../files/media.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';

/** Pictures and files for whoever has their address. Nothing in one is run: browsers get it as what it was found to be. */
export function fileHandlers({ files }: { readonly files: Files }): Handlers {
  return {
    getFile: async ({ params, res }) => {
      const row = await files.by(params.file, params.token);
      if (!row) throw new HttpProblem('not-found', 'There is no such file, or it is not kept any more.');
      const picture = (PICTURES as readonly string[]).includes(row.type);
      const name = row.name.replace(/[^A-Za-z0-9._-]/g, '-');
      res.setHeader('content-security-policy', "default-src 'none'; sandbox");
      res.setHeader('cache-control', 'private, max-age=3600');
      res.setHeader('cross-origin-resource-policy', 'cross-origin');
      res.setHeader('content-disposition', `${picture ? 'inline' : 'attachment'}; filename="${name}"`);
      res.setHeader('content-type', row.type.startsWith('text/') ? 'text/plain; charset=utf-8' : row.type);
      res.end(row.bytes);
      return undefined;
    },
  };
}
