"""Running the application on one machine: its state folder, its own PostgreSQL cluster, and the process that minds both."""
