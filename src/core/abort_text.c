/* Why a node refuses an object, in words (CiA 301, 7.2.4.3.17). */
#include "windpin/network.h"

#define ABORTS(ROW)                                                                                \
    ROW(0x05030000, "It lost the count of the pieces.")                                            \
    ROW(0x05040000, "A piece came too late for it.")                                               \
    ROW(0x05040001, "It does not know this kind of transfer.")                                     \
    ROW(0x05040002, "The length of a block is wrong.")                                             \
    ROW(0x05040003, "The number of a block is wrong.")                                             \
    ROW(0x05040004, "The check value of a block is wrong.")                                        \
    ROW(0x05040005, "It has no memory left for this.")                                             \
    ROW(0x06010000, "This object can't be reached this way.")                                      \
    ROW(0x06010001, "This object can only be written.")                                            \
    ROW(0x06010002, "This object can only be read.")                                               \
    ROW(0x06020000, "It has no such object.")                                                      \
    ROW(0x06040041, "This object can't be part of process data.")                                  \
    ROW(0x06040042, "The process data would be longer than a frame.")                              \
    ROW(0x06040043, "The parameters do not go together.")                                          \
    ROW(0x06040047, "It contradicts itself inside.")                                               \
    ROW(0x06060000, "Its hardware failed, or is not there.")                                       \
    ROW(0x06070010, "The value has the wrong length.")                                             \
    ROW(0x06070012, "The value is too long.")                                                      \
    ROW(0x06070013, "The value is too short.")                                                     \
    ROW(0x06090011, "The object has no such sub-index.")                                           \
    ROW(0x06090030, "The value is outside its range.")                                             \
    ROW(0x06090031, "The value is too large.")                                                     \
    ROW(0x06090032, "The value is too small.")                                                     \
    ROW(0x06090036, "The largest value would be below the smallest.")                              \
    ROW(0x060A0023, "What the object needs is not available.")                                     \
    ROW(0x08000000, "It gives no reason.")                                                         \
    ROW(0x08000020, "The value can't be stored or sent on.")                                       \
    ROW(0x08000021, "It can't while it is controlled from elsewhere: see its source of commands.") \
    ROW(0x08000022, "It can't in the state it is in now.")                                         \
    ROW(0x08000023, "It has no list of its objects.")                                              \
    ROW(0x08000024, "There is no value.")

#define TEXT(code, words) static const WPIN_FLASH char text_##code[] = words;
ABORTS(TEXT)

typedef struct abort_text {
    uint32_t code;
    const WPIN_FAR char *words;
} abort_text;

#define ENTRY(code, words) {code, text_##code},
static const WPIN_FLASH abort_text texts[] = {ABORTS(ENTRY)};

enum { TEXTS = sizeof texts / sizeof texts[0] };

const WPIN_FAR char *wpin_abort_text(uint32_t code) {
    for (int i = 0; i < TEXTS; i++) {
        if (texts[i].code == code) {
            return texts[i].words;
        }
    }
    return NULL;
}
