"""Services outside this installation: the print shop and the remote renderer. Only workers talk to them."""
