"""The simulated outside world: carriers, a web shop, a mail server; its own process, reached over HTTP and SMTP."""
