"""What goes over HTTP; the front end's types are generated from these."""
