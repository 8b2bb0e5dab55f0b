import { Modal } from 'react-bootstrap';
import { KEY_MAP } from './keys.js';

/** All keys at once, behind `?`. */
export function KeysDialog({ onClose }: { readonly onClose: () => void }) {
  return (
    <Modal show onHide={onClose} size="lg" scrollable aria-labelledby="keys-title">
      <Modal.Header closeButton>
        <Modal.Title id="keys-title">Keys</Modal.Title>
      </Modal.Header>
      <Modal.Body className="keymap" tabIndex={0}>
        {KEY_MAP.map(([where, lines]) => (
          <section key={where} aria-label={where}>
            <h3>{where}</h3>
            <dl>
              {lines.map(({ keys, does }) => (
                <div key={keys}>
                  <dt>{keys}</dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
        <p className="note">Single letters work outside fields. They can be turned off in Settings.</p>
      </Modal.Body>
    </Modal>
  );
}
