import { CUSTOMERS, type Customer, type HostSite } from './customers.js';

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ?? c);

function frame(title: string, who: Customer | undefined, inside: string): string {
  const account = who ? `<a href="/account">${escaped(who.name)}</a>` : '<a href="/sign-in">Sign in</a>';
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)} · Marrow Sound Ferries</title><link rel="stylesheet" href="/site.css"><link rel="icon" href="data:,"></head>
<body>
<header><strong>Marrow Sound Ferries</strong><a href="/">Home</a><a href="/timetable">Timetable</a>${account}</header>
<main>${inside}</main>
`;
}

const tag = ({ service, chat }: HostSite, more = ''): string =>
  `<script src="${escaped(service)}/chat.js" data-chat="${escaped(chat)}" data-token-from="/chat-token" data-sign-in="/sign-in"${more} async></script>\n`;

/** The first page: the chat stands over it as a bubble. */
export function homePage(site: HostSite, who: Customer | undefined): string {
  const text = `<h1>Four islands, two boats, one sound.</h1>
<p>The Wrackline takes cars, bicycles and dogs from Kelpwick to Port Anselm and Gannet Quay. The Sandpiper sails to Tarn Holm with people and bicycles only.</p>
<p>Today both boats sail. The harbour office at Kelpwick is open from six in the morning to eight at night.</p>
<aside><p>Not sure which boat to take, or whether the dog may come along? Ask Harbour desk, in the corner of this page.</p></aside>`;
  return `${frame('Home', who, text)}${tag(site)}</body></html>`;
}

/** The timetable, with the chat in a place of its own. */
export function timetablePage(site: HostSite, who: Customer | undefined): string {
  const text = `<h1>Timetable</h1>
<table><tr><th>From</th><th>To</th><th>Boat</th><th>Leaves</th></tr>
<tr><td>Kelpwick</td><td>Port Anselm</td><td>Wrackline</td><td>07:10, 11:40, 17:25</td></tr>
<tr><td>Kelpwick</td><td>Gannet Quay</td><td>Wrackline</td><td>09:05, 15:30</td></tr>
<tr><td>Port Anselm</td><td>Tarn Holm</td><td>Sandpiper</td><td>10:20, 16:50</td></tr></table>
<div id="chat"></div>`;
  return `${frame('Timetable', who, text)}${tag(site, ' data-as="inline" data-in="#chat" data-height="460px"')}</body></html>`;
}

/** Where a made-up customer signs in, without a password. */
export function signInPage(site: HostSite, who: Customer | undefined): string {
  const each = CUSTOMERS.map(
    (c) => `<form method="post" action="/sign-in"><button name="customer" value="${c.id}">${escaped(c.name)}</button></form>`,
  );
  return `${frame('Sign in', who, `<h1>Sign in</h1><p>Made-up customers need no password.</p>${each.join('')}`)}${tag(site)}</body></html>`;
}

/** What a customer has booked; the chat knows who they are. */
export function accountPage(site: HostSite, who: Customer | undefined): string {
  const rows = (who?.bookings ?? []).map((b) => `<li>${escaped(b)}</li>`).join('');
  const text = `<h1>${escaped(who?.name ?? '')}</h1><p>Your bookings</p><ul>${rows}</ul><form method="post" action="/sign-out"><button>Sign out</button></form>`;
  return `${frame('Your account', who, text)}${tag(site)}</body></html>`;
}
