declare module 'knex/lib/dialects/better-sqlite3/index.js' {
  import type { Knex } from 'knex';
  const Client: typeof Knex.Client;
  export default Client;
}
