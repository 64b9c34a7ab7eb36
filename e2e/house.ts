import { test as base } from "@playwright/test";
import { spawn, type ChildProcess } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";

/**
 * A Nevrin of one's own for each file of stories: the demo as it was made, on a database copied from it. So the stories of a file
 * follow each other, files do not, and several files can run at once.
 */
class House {
  private file?: string;
  private server?: ChildProcess;
  private folder?: string;
  private readonly made = process.env.DATABASE_URL ?? "";

  constructor(private readonly worker: number) {}

  /** The address of the house of a file, which is built when its first story begins. */
  async of(file: string): Promise<string> {
    if (this.file !== file) {
      await this.leave();
      const name = `story_${this.worker}`;
      const template = new URL(this.made).pathname.slice(1);
      await this.onServer(
        `DROP DATABASE IF EXISTS ${name} WITH (FORCE)`,
        `CREATE DATABASE ${name} TEMPLATE ${template} STRATEGY FILE_COPY`,
      );
      process.env.DATABASE_URL = this.named(name);
      this.folder = mkdtempSync(join(tmpdir(), "nevrin-story-"));
      process.env.NEVRIN_URL = await this.open(this.folder);
      this.file = file;
    }
    return process.env.NEVRIN_URL ?? "";
  }

  async leave() {
    const { server, folder } = this;
    if (server?.exitCode === null) {
      await new Promise((gone) => {
        server.once("exit", gone);
        server.kill("SIGTERM");
      });
    }
    if (folder) rmSync(folder, { recursive: true, force: true });
    this.file = undefined;
  }

  private named(database: string) {
    const url = new URL(this.made);
    url.pathname = database;
    return url.href;
  }

  private async onServer(...statements: string[]) {
    const client = new pg.Client(this.named("postgres"));
    await client.connect();
    try {
      for (const s of statements) await client.query(s);
    } finally {
      await client.end();
    }
  }

  /** Starts the program; it says its address once it answers, and last where the demo's mail can be read. */
  private open(folder: string): Promise<string> {
    const server = spawn("../build/nevrin", ["demo", "--folder", folder], {
      env: { ...process.env, NEVRIN_LISTEN: "127.0.0.1:0" },
      stdio: ["ignore", "pipe", "ignore"],
    });
    this.server = server;
    return new Promise((found, failed) => {
      let said = "";
      server.stdout.on("data", (data: Buffer) => {
        said += data.toString();
        const at = /^Nevrin is at (\S+)/m.exec(said)?.[1];
        if (at && said.includes("Mail of the demo")) found(at);
      });
      server.once("exit", () => failed(new Error(`The program ended before it answered. It said: ${said}`)));
    });
  }
}

export const test = base.extend<object, { house: House }>({
  house: [
    async ({}, use, info) => {
      const house = new House(info.workerIndex);
      await use(house);
      await house.leave();
    },
    { scope: "worker" },
  ],
  baseURL: async ({ house }, use, info) => use(await house.of(info.file)),
});
