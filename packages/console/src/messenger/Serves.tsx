import type { Channel } from '@primrose/contract';
import { Form } from 'react-bootstrap';
import { useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

interface ServesProps {
  readonly channel: Pick<Channel, 'name' | 'serves'>;
  readonly onChange: (serves: 'live' | number) => void;
}

/** Which release a channel serves. */
export function Serves({ channel, onChange }: ServesProps) {
  const { bot } = useDraftHandle();
  const releases = useCall('listReleases', { params: { bot }, query: { limit: 200 } });
  return (
    <Form.Select
      aria-label="Release that it serves"
      style={{ width: 'auto' }}
      value={String(channel.serves)}
      onChange={(e) => onChange(e.target.value === 'live' ? 'live' : Number(e.target.value))}
    >
      <option value="live">whichever release is live</option>
      {releases.data?.items.map((r) => (
        <option key={r.number} value={r.number}>
          Release {r.number}
          {r.note === '' ? '' : `: ${r.note.slice(0, 40)}`}
        </option>
      ))}
    </Form.Select>
  );
}
