import type { McpTool } from '@primrose/core';
import { useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

/** The tools of an MCP server: listed from the server, chosen, and kept in the bot with their types. */
export function McpTools({ connection }: { readonly connection: string }) {
  const { bot, document, edit, flush } = useDraftHandle();
  const kept = document.connections?.[connection]?.tools ?? {};
  const [listed, setListed] = useState<Readonly<Record<string, McpTool>>>();
  const [said, setSaid] = useState<string>();
  const list = () => {
    setSaid('asking…');
    flush()
      .then(() => call('listTools', { params: { bot, connection } }))
      .then(({ tools }) => {
        setListed(tools);
        setSaid(undefined);
      })
      .catch((error: unknown) => setSaid(errorText(error)));
  };
  const put = (name: string, tool: McpTool | undefined) =>
    edit((d) => {
      const own = d.connections?.[connection];
      if (!own) return d;
      const { [name]: _old, ...rest } = own.tools ?? {};
      const tools = tool === undefined ? rest : { ...rest, [name]: tool };
      const { tools: _all, ...bare } = own;
      return {
        ...d,
        connections: { ...d.connections, [connection]: Object.keys(tools).length === 0 ? bare : { ...bare, tools } },
      };
    });
  const names = [...new Set([...Object.keys(kept), ...Object.keys(listed ?? {})])];
  return (
    <section aria-label={`MCP tools of ${connection}`}>
      <p className="note">
        <button type="button" className="bare note" onClick={list}>
          {names.length === 0 ? 'list its tools, if it is an MCP server' : 'list its tools anew'}
        </button>{' '}
        <span role="status" className="plum">
          {said}
        </span>
      </p>
      {names.length > 0 && (
        <table className="table-grid">
          <thead>
            <tr>
              <th>Used</th>
              <th>Tool</th>
              <th>What it does</th>
              <th>Only reads</th>
            </tr>
          </thead>
          <tbody>
            {names.map((name) => {
              const tool = kept[name];
              const own = tool ?? listed?.[name] ?? {};
              return (
                <tr key={name}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Use ${name}`}
                      checked={tool !== undefined}
                      onChange={(e) => put(name, e.target.checked ? (listed?.[name] ?? own) : undefined)}
                    />
                  </td>
                  <td className="mono">{name}</td>
                  <td dir="auto">{own.about}</td>
                  <td>
                    {tool && (
                      <input
                        type="checkbox"
                        aria-label={`${name} only reads`}
                        checked={tool.reads === true}
                        onChange={(e) => put(name, withReads(tool, e.target.checked))}
                      />
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </section>
  );
}

function withReads({ reads: _old, ...tool }: McpTool, reads: boolean): McpTool {
  return reads ? { ...tool, reads } : tool;
}
