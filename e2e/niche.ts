import {
  test as base,
  expect,
  type BrowserContext,
  type Page,
} from "@playwright/test";
import { spawn, type ChildProcess } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createServer, connect } from "node:net";
import { once } from "node:events";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";

/** A running Niche with its calendar host. */
export type Niche = {
  address: string;
  host: string;
  mailbox: string;
  /** A site that shows a page in a frame. */
  site: string;
  /** A meeting host, a text gateway and a payment host. */
  services: string;

  code: string;
};

/** The demo's sign-in. */
export const admin = {
  email: "admin@quillon.example",
  password: "a-quiet-piano",
};

/** The morning of the demo in tests and pictures: a Monday. */
export const morning = "2026-11-23T09:20:00Z";

const program = resolve(import.meta.dirname, "../bin/niche");

async function end(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  child.kill("SIGTERM");
  await once(child, "exit");
}

/** Starts the program and waits until it says where it and its host are. */
export async function start(
  ...flags: string[]
): Promise<Niche & { stop: () => Promise<void> }> {
  const data = mkdtempSync(join(tmpdir(), "niche-e2e-"));
  const ports = [
    "--listen",
    "127.0.0.1:0",
    "--cloud",
    "127.0.0.1:0",
    "--harbour",
    "127.0.0.1:0",
    "--harbour-homes",
    "127.0.0.1:0",
    "--oddment",
    "127.0.0.1:0",
    "--mailbox",
    "127.0.0.1:0",
    "--smtp",
    "127.0.0.1:0",
    "--site",
    "127.0.0.1:0",
    "--answers",
    "127.0.0.1:0",
    "--services",
    "127.0.0.1:0",
    "--data",
    data,
  ];
  const child = spawn(program, ["demo", "--unlimited", ...ports, ...flags], {
    stdio: ["ignore", "pipe", "inherit"],
  });
  let said = "";
  const found = (label: string) =>
    new RegExp(`${label}\\s+(http://\\S+)`).exec(said)?.[1];
  for await (const part of child.stdout) {
    said += String(part);
    if (found("Niche is at") && found("A site with it in")) break;
  }
  const [address, host, mailbox, site, services] = [
    found("Niche is at"),
    found("Calendar host"),
    found("Mailbox"),
    found("A site with it in"),
    found("Services outside"),
  ];
  if (!address || !host || !mailbox || !site || !services)
    throw new Error(`niche did not start: ${said}`);
  const code = /set up with the code (\S+)/.exec(said)?.[1] ?? "";
  child.stdout.resume();
  const stop = async () => {
    await end(child);
    rmSync(data, { recursive: true });
  };
  return { address, host, mailbox, site, services, code, stop };
}

async function freePort(): Promise<number> {
  const server = createServer().listen(0, "127.0.0.1");
  await once(server, "listening");
  const address = server.address();
  server.close();
  if (address === null || typeof address === "string")
    throw new Error("no port");
  return address.port;
}

/** Starts a real CalDAV server for the user bryn with two calendars. */
export async function startRadicale() {
  const folder = mkdtempSync(join(tmpdir(), "niche-radicale-"));
  const port = await freePort();
  const users = join(folder, "users");
  writeFileSync(users, "bryn:app-key\n");
  const flags = [
    "--server-hosts",
    `127.0.0.1:${port}`,
    "--storage-filesystem-folder",
    join(folder, "data"),
  ];
  const auth = [
    "--auth-type",
    "htpasswd",
    "--auth-htpasswd-filename",
    users,
    "--auth-htpasswd-encryption",
    "plain",
  ];
  const child = spawn("radicale", [...flags, ...auth], { stdio: "ignore" });
  await expect
    .poll(
      () =>
        new Promise((done) =>
          connect(port, "127.0.0.1", () => done(true)).on("error", () =>
            done(false),
          ),
        ),
    )
    .toBe(true);
  const host = `http://127.0.0.1:${port}`;
  const send = async (method: string, path: string, body = "") => {
    const headers = {
      Authorization: `Basic ${Buffer.from("bryn:app-key").toString("base64")}`,
    };
    const answer = await fetch(host + path, {
      method,
      headers,
      body: body || undefined,
    });
    if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status}`);
    return answer.text();
  };
  for (const name of ["Work", "Family"]) {
    await send(
      "MKCALENDAR",
      `/bryn/${name}/`,
      `<c:mkcalendar xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:set><d:prop><d:displayname>${name}</d:displayname></d:prop></d:set></c:mkcalendar>`,
    );
  }
  const stop = async () => {
    await end(child);
    rmSync(folder, { recursive: true });
  };
  return { host, port, send, stop };
}

const sessions = new Map<
  string,
  Awaited<ReturnType<BrowserContext["cookies"]>>
>();

/** Signs in, once for each running Niche: signing in is limited in rate. */
export async function signIn(page: Page, niche: Niche): Promise<void> {
  const known = sessions.get(niche.address);
  if (known) return page.context().addCookies(known);
  const answer = await page.request.post(`${niche.address}/api/session`, {
    data: admin,
  });
  expect(answer.ok()).toBe(true);
  sessions.set(niche.address, await page.context().cookies());
}

/** Tests against the demo, one for each worker, laid out on a Monday morning. */
export const test = base.extend<object, { demo: Niche }>({
  demo: [
    // eslint-disable-next-line no-empty-pattern
    async ({}, use) => {
      const demo = await start("--now", morning);
      await use(demo);
      await demo.stop();
    },
    { scope: "worker" },
  ],
});

export { expect };
