// The server's specs start threads and make files; a loaded machine needs more than five seconds.
jasmine.DEFAULT_TIMEOUT_INTERVAL = 60_000;
