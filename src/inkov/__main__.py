from inkov.cli.app import main

main()
