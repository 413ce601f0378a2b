"""Services outside this installation: the print shop and the remote renderer. Only workers talk to them."""

__all__ = ["answers", "client", "known", "sending"]
