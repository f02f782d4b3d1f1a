import { describe, expect, it } from 'vitest';
import { Problem } from '$lib/api/client';
import { NewLink, type Body } from './newLink.svelte';

const cloudlet = {
  id: 1,
  name: 'Cloudlet',
  address: 'https://cloudlet.example',
  domains: ['castellane.example'],
  letsSignIn: false,
};
const other = {
  id: 2,
  name: 'Other',
  address: 'https://other.example',
  domains: ['varga.example'],
  letsSignIn: false,
};

/** A new link to one of some hosts, what was sent for it, and what is answered next. */
function begun(hosts = [cloudlet, other]) {
  const sent: Body[] = [];
  const answers: Problem[] = [];
  const link = new NewLink(
    () => hosts,
    async (body) => {
      sent.push(body);
      const answer = answers.shift();
      if (answer) throw answer;
    },
  );
  return { link, sent, answers };
}

describe('a link that is about to be made', () => {
  it('goes to the host of a name, to that of the mail address, or to an address that is typed', async () => {
    const { link, sent } = begun();
    link.username = 'bryn@castellane.example'; // who is signed in, and then types another account
    link.guess();
    [link.username, link.password] = ['ilse@varga.example', 'key'];
    link.guess();
    await link.make();
    link.pick(1);
    link.guess();
    await link.make();
    link.pick(0);
    link.address = 'third.example';
    await link.make();
    link.kind = 'feed';
    await link.make();
    expect(sent.map((b) => b.address)).toEqual([
      other.address,
      cloudlet.address,
      'third.example',
      'third.example',
    ]);
    expect(sent.at(-1)).toEqual({ kind: 'feed', address: 'third.example' });
  });

  it('asks before a password goes to where the search has led', async () => {
    const { link, sent, answers } = begun([]);
    [link.username, link.password] = ['bryn@castellane.example', 'key'];
    answers.push(new Problem({ detail: 'Is it?', host: 'cloudlet.example' }, 409));
    expect(await link.make()).toBe(false);
    expect([link.leadsTo, link.fault, sent[0]?.agreed]).toEqual(['cloudlet.example', '', undefined]);
    answers.push(new Problem({ detail: 'No.' }, 502));
    expect(await link.agree()).toBe(false);
    expect([link.leadsTo, link.fault, sent[1]?.agreed]).toEqual(['', 'No.', 'cloudlet.example']);
  });
});
