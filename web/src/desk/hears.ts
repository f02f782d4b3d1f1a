import { session } from './session.svelte';

/** Whether clients hear of what is done at the desk, in half a sentence. */
export const clientHears = () =>
  session.now?.mailReady ? 'the client is told by mail' : 'no mail goes out, so tell the client yourself';

/** The same as a sentence. */
export const clientHearsSentence = () => {
  const words = clientHears();
  return `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;
};
