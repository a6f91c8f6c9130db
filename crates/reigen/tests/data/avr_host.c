/* Runs the firmware of a controller in simavr: a row of levels in, what the scan gives out, and how many cycles it took. */
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The addresses of its variables come from its symbols: ELF LEVELS GO OUTPUTS SIZE. */
int main(int count, char **words)
{
    static char row[4096];
    elf_firmware_t firmware = {{0}};
    avr_t *avr;
    unsigned long levels, go, outputs, size, most = 0;

    if (count != 6 || elf_read_firmware(words[1], &firmware) != 0) {
        return EXIT_FAILURE;
    }
    levels = strtoul(words[2], NULL, 16) & 0xffff;
    go = strtoul(words[3], NULL, 16) & 0xffff;
    outputs = strtoul(words[4], NULL, 16) & 0xffff;
    size = strtoul(words[5], NULL, 16);
    avr = avr_make_mcu_by_name("atmega328p");
    if (avr == NULL) {
        return EXIT_FAILURE;
    }
    avr_init(avr);
    avr_load_firmware(avr, &firmware);
    while (fgets(row, sizeof row, stdin) != NULL) {
        unsigned long cycles;

        for (unsigned long place = 0; row[place] == '0' || row[place] == '1'; place++) {
            avr->data[levels + place] = (uint8_t)(row[place] - '0');
        }
        avr->data[go] = 1;
        while (avr->data[go] == 1) {
            avr_run(avr);
        }
        cycles = (unsigned long)avr->cycle;
        while (avr->data[go] == 2) {
            avr_run(avr);
        }
        cycles = (unsigned long)avr->cycle - cycles;
        most = cycles > most ? cycles : most;
        for (unsigned long place = 0; place < size; place++) {
            printf("%02x", avr->data[outputs + place]);
        }
        printf("\n");
    }
    printf("cycles %lu\n", most);
    return EXIT_SUCCESS;
}
