"""Work given by people and files of others runs here: in a process of its own, without the application's rights."""
