import pg from 'pg';
import { channel } from './announce.ts';

type Hear = (jobId: string) => void;

/** One connection that listens for changed jobs and passes them on; it comes back by itself when it breaks. */
export class Ear {
  private readonly hearers = new Set<Hear>();
  private client: pg.Client | null = null;
  private readonly databaseUrl: string;

  constructor(databaseUrl: string) {
    this.databaseUrl = databaseUrl;
    void this.connect();
  }

  /** Calls `hear` with a job's id on each change; returns how to stop. */
  on(hear: Hear): () => void {
    this.hearers.add(hear);
    return () => this.hearers.delete(hear);
  }

  private async connect(): Promise<void> {
    const client = new pg.Client({ connectionString: this.databaseUrl });
    const again = () => {
      if (this.client !== client) return;
      this.client = null;
      setTimeout(() => void this.connect(), 1000).unref();
    };
    this.client = client;
    client.on('error', again);
    client.on('end', again);
    client.on('notification', (message) => {
      for (const hear of this.hearers) hear(message.payload ?? '');
    });
    try {
      await client.connect();
      await client.query(`listen ${channel}`);
    } catch {
      again();
    }
  }
}
