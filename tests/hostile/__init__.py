"""What strangers send: archives, feeds and answers made to do harm, each with its outcome."""
