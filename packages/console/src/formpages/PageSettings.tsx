import { contrast, legibleColours, type Page } from '@primrose/core';
import { TextInput } from '../details/fields.js';
import { useDraftHandle } from '../draft/context.js';
import { Chosen, PictureInput } from './PartDetails.js';

interface PageSettingsProps {
  readonly page: Page;
  readonly onChange: (next: Page) => void;
}

/** A page without a field where its text is empty. */
function said(page: Page, field: 'about' | 'category' | 'button', value: string): Page {
  const { [field]: _old, ...rest } = page;
  return value === '' ? rest : { ...rest, [field]: value };
}

/** What a page is called, which flow stands behind it, and how it looks. */
export function PageSettings({ page, onChange }: PageSettingsProps) {
  const { document } = useDraftHandle();
  return (
    <section className="pagesettings" aria-label="The page">
      <TextInput label="Title" value={page.title} onChange={(v) => onChange({ ...page, title: v.slice(0, 120) || 'Page' })} />
      <TextInput
        label="Words under it"
        value={page.about ?? ''}
        onChange={(v) => onChange(said(page, 'about', v.slice(0, 2000)))}
      />
      <Chosen
        label="Flow behind it"
        value={page.flow}
        of={Object.keys(document.flows)}
        onChange={(flow) => onChange({ ...page, flow })}
      />
      <TextInput
        label="Button"
        value={page.button ?? ''}
        placeholder="Go"
        onChange={(v) => onChange(said(page, 'button', v.slice(0, 40)))}
      />
      <TextInput
        label="Category in the gallery"
        value={page.category ?? ''}
        onChange={(v) => onChange(said(page, 'category', v.slice(0, 60)))}
      />
      <Colours page={page} onChange={onChange} />
      <PictureInput label="Logo" onPicture={(logo) => onChange({ ...page, logo })} />
      {page.logo !== undefined && (
        <button
          type="button"
          className="bare"
          onClick={() => {
            const { logo: _old, ...rest } = page;
            onChange(rest);
          }}
        >
          without a logo
        </button>
      )}
    </section>
  );
}

function Colours({ page, onChange }: PageSettingsProps) {
  const colours = page.colours ?? {};
  const put = (field: 'accent' | 'ground', value: string | undefined) => {
    const { [field]: _old, ...others } = colours;
    const next = value === undefined ? others : { ...others, [field]: value };
    const { colours: _all, ...rest } = page;
    onChange(Object.keys(next).length === 0 ? rest : { ...rest, colours: next });
  };
  const used = legibleColours(colours);
  const told = [
    colours.accent !== undefined && used.accent !== colours.accent.toLowerCase()
      ? `The button is shown in ${used.accent ?? ''}.`
      : '',
    colours.ground !== undefined && used.ground !== colours.ground.toLowerCase()
      ? `The ground is shown in ${used.ground ?? ''}.`
      : '',
  ].filter(Boolean);
  return (
    <div className="colours">
      {(['accent', 'ground'] as const).map((field) => (
        <div key={field} className="inrow">
          <label>
            <span>{field === 'accent' ? 'Colour of the button' : 'Colour of the ground'}</span>
            <input
              type="color"
              value={colours[field] ?? (field === 'accent' ? '#f2d449' : '#fbf8ef')}
              onChange={(e) => put(field, e.target.value)}
            />
          </label>
          {colours[field] !== undefined && (
            <button type="button" className="bare" onClick={() => put(field, undefined)}>
              usual
            </button>
          )}
        </div>
      ))}
      {used.accent !== null && used.onAccent !== null && (
        <p className="note">
          {told.join(' ')} Text on the button has a contrast of {contrast(used.accent, used.onAccent).toFixed(1)}.
        </p>
      )}
    </div>
  );
}
