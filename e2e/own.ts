import { execFileSync, spawn, type ChildProcess } from "node:child_process";
import pg from "pg";

/** A network of one's own, made from an empty database by the commands of the program. */
export class Own {
  static readonly password = "a long password";
  private readonly before = process.env.DATABASE_URL ?? "";
  private server?: ChildProcess;

  constructor(private readonly name: string) {}

  private named(database: string) {
    return Object.assign(new URL(this.before), { pathname: database }).href;
  }

  private async onServer(...statements: string[]) {
    const client = new pg.Client(this.named("postgres"));
    await client.connect();
    for (const s of statements) await client.query(s);
    await client.end();
  }

  /** An empty database, which what follows is about. */
  async begin() {
    await this.onServer(`DROP DATABASE IF EXISTS ${this.name} WITH (FORCE)`, `CREATE DATABASE ${this.name}`);
    process.env.DATABASE_URL = this.named(this.name);
  }

  async end() {
    const { server } = this;
    if (server?.exitCode === null) {
      const gone = new Promise((done) => server.once("exit", done));
      server.kill("SIGTERM");
      await gone;
    }
    process.env.DATABASE_URL = this.before;
    await this.onServer(`DROP DATABASE IF EXISTS ${this.name} WITH (FORCE)`);
  }

  /** What a command says, and whether it did what it was to do. */
  nevrin(...args: string[]): string {
    const env = { ...process.env, NEVRIN_PASSWORD: Own.password };
    try {
      return execFileSync("../build/nevrin", args, { env, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });
    } catch (e) {
      return `refused: ${(e as { stderr: string }).stderr}`;
    }
  }

  /** Starts the program, and gives its address. */
  async serve(): Promise<string> {
    const program = spawn("../build/nevrin", ["serve"], {
      env: { ...process.env, NEVRIN_LISTEN: "127.0.0.1:0", NEVRIN_TLS: "0", NEVRIN_SMTP: "" },
      stdio: ["ignore", "pipe", "ignore"],
    });
    this.server = program;
    return new Promise((found, failed) => {
      let said = "";
      program.stdout.on("data", (data: Buffer) => {
        said += data.toString();
        const at = /^Nevrin is at (\S+)/m.exec(said)?.[1];
        if (at) found(at);
      });
      program.once("exit", () => failed(new Error(`The program ended before it answered. It said: ${said}`)));
    });
  }
}
