import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { useKeys } from '../keys/keys.js';
import { useSimulation } from '../simulator/simulation.js';

const STORE = 'primrose-follow';

/** Where the simulated conversation waits; undefined where it waits nowhere. */
function useWaits(): { readonly flow: string; readonly node: string } | undefined {
  const { shown } = useSimulation();
  return shown?.waitsAt ?? undefined;
}

/**
 * Beside the flow's name: in which other flow the bot waits, with a way there; and the switch that lets the Map follow by itself.
 * `resting` while a node is open, which the Map does not leave.
 */
export function Along({ flowId, resting }: { readonly flowId: string; readonly resting: boolean }) {
  const { bot, document } = useDraftHandle();
  const navigate = useNavigate();
  const waits = useWaits();
  const [follows, setFollows] = useState(() => localStorage.getItem(STORE) === 'on');
  const elsewhere = waits && waits.flow !== flowId && Object.hasOwn(document.flows, waits.flow) ? waits : undefined;
  const go = () => {
    if (elsewhere) void navigate(`/bots/${bot}/map/${elsewhere.flow}`);
  };
  useKeys({ w: go });
  const to = elsewhere?.flow;
  useEffect(() => {
    if (follows && !resting && to !== undefined) void navigate(`/bots/${bot}/map/${to}`);
  }, [follows, resting, to, bot, navigate]);
  if (!waits) return null;
  const turn = (on: boolean) => {
    localStorage.setItem(STORE, on ? 'on' : 'off');
    setFollows(on);
  };
  return (
    <span className="along">
      {elsewhere && (
        <button className="bare note" type="button" onClick={go}>
          waits in <b>{document.flows[elsewhere.flow]?.title ?? elsewhere.flow}</b> <kbd>W</kbd>
        </button>
      )}
      <label className="note" title="The Map goes to the flow in which the conversation waits">
        <input type="checkbox" checked={follows} onChange={(e) => turn(e.target.checked)} /> follow
      </label>
    </span>
  );
}
