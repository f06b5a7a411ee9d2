"""The demo workspace: Whinfell Co-operative, made up and generated from one seed."""
