// poll.js: asks again and again, with a pause between, until there is an answer that settles it.
export async function poll(ask, pause) {
  for (;;) {
    try {
      const found = await ask();
      if (found) return found;
    } catch {
      // the server is away for a moment; what is asked about goes on without it
    }
    await new Promise((resolve) => { setTimeout(resolve, pause); });
  }
}
