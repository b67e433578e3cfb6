"""The application on several hosts, each in a network of its own on one machine: `./test --hosts`."""
