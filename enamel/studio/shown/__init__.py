"""What pages show, made ready for their templates. Nothing here answers a request."""
